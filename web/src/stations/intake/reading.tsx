import { useMutation } from "@tanstack/react-query";
import { api, got, Refusal, type Schema } from "../../api/client";
import { brought } from "../../api/jobs";
import { Choice, Field } from "../../parts/fields";
import { Faults } from "../../parts/notices";

const DELIMITERS = [
  [",", "comma"],
  [";", "semicolon"],
  ["\t", "tab"],
  ["|", "upright bar"],
] as const;
const ENCODINGS = [
  ["utf-8", "UTF-8"],
  ["utf-8-sig", "UTF-8 with mark"],
  ["utf-16", "UTF-16"],
  ["cp1252", "Windows-1252"],
] as const;
const ROWS = [
  ["1", "1"],
  ["2", "2"],
  ["3", "3"],
] as const;

const NAMES = [
  ["1", "the first row of headings"],
  ["2", "the second"],
  ["3", "the third"],
] as const;
const DECIMALS = [
  [".", "with a point, 12.5"],
  [",", "with a comma, 12,5"],
] as const;

type Options = readonly (readonly [string, string])[];

/** What was guessed about a file; each guess can be overruled and the preview follows. */
export function Reading({
  file,
  arrived,
}: {
  file: Schema["FilePreview"];
  arrived: (file: Schema["FilePreview"]) => void;
}) {
  const again = useMutation({
    mutationFn: (said: Partial<Schema["Source"]>) =>
      got(
        api.POST("/api/v1/files/{file_id}/read-again", {
          params: { path: { file_id: file.id } },
          body: { ...file.reading, ...said },
        }),
      ).then((job) => brought(job, () => {})),
    onSuccess: arrived,
  });
  const { reading } = file;
  const known = (options: Options, value?: string | null): Options =>
    value && !options.some(([v]) => v === value) ? [[value, value], ...options] : options;
  const pick = (label: string, value: string, options: Options, say: (value: string) => Partial<Schema["Source"]>) => (
    <Field label={label}>
      {(props) => (
        <Choice
          {...props}
          value={value}
          options={options}
          disabled={again.isPending}
          onChange={(e) => again.mutate(say(e.target.value))}
        />
      )}
    </Field>
  );
  return (
    <section aria-label="How the file was read">
      {reading.format === "csv" ? (
        <>
          {pick("Delimiter", reading.delimiter ?? ",", known(DELIMITERS, reading.delimiter), (delimiter) => ({
            delimiter,
          }))}
          {pick("Encoding", reading.encoding ?? "utf-8", known(ENCODINGS, reading.encoding), (encoding) => ({
            encoding,
          }))}
        </>
      ) : reading.format === "parquet" || reading.format === "jsonl" ? (
        <p className="text-sm">
          {reading.format === "parquet" ? "Parquet" : "JSON lines"}: nothing had to be guessed but the kinds.
        </p>
      ) : (
        pick("Sheet", reading.sheet ?? "", file.sheets?.map((s) => [s, s] as const) ?? [], (sheet) => ({ sheet }))
      )}
      {reading.header_rows != null && (
        <>
          {pick("Rows of headings", String(reading.header_rows), ROWS, (rows) => ({
            header_rows: Number(rows),
            names_row: Math.min(reading.names_row ?? 1, Number(rows)),
          }))}
          {reading.header_rows > 1 &&
            pick(
              "Short names stand in",
              String(reading.names_row ?? 1),
              NAMES.slice(0, reading.header_rows),
              (row) => ({
                names_row: Number(row),
              }),
            )}
          {pick("Decimals are written", reading.decimal ?? ".", DECIMALS, (decimal) => ({
            decimal: decimal as "." | ",",
          }))}
          <p className="text-soft text-xs">These were guessed from the file. Change one and the preview follows.</p>
        </>
      )}
      {again.error instanceof Refusal && <Faults faults={again.error.faults} />}
    </section>
  );
}
