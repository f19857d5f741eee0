import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, Refusal, type Schema } from "../../api/client";
import { brought } from "../../api/jobs";
import { Choice, Field, Tick } from "../../parts/fields";
import { plural } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { NumberField } from "../../parts/number-field";

const DELIMITERS = [
  [",", "comma"],
  [";", "semicolon"],
  ["\t", "tab"],
  ["|", "vertical bar"],
] as const;
const ENCODINGS = [
  ["utf-8", "UTF-8"],
  ["utf-8-sig", "UTF-8 with mark"],
  ["utf-16", "UTF-16"],
  ["cp1252", "Western European (cp1252)"],
  ["iso8859_15", "Western European (ISO 8859-15)"],
  ["cp1250", "Central European (cp1250)"],
  ["iso8859_2", "Central European (ISO 8859-2)"],
  ["cp1257", "Baltic (cp1257)"],
  ["cp1251", "Cyrillic (cp1251)"],
  ["koi8_r", "Cyrillic (KOI8-R)"],
  ["cp1253", "Greek (cp1253)"],
  ["cp1254", "Turkish (cp1254)"],
  ["cp1255", "Hebrew (cp1255)"],
  ["cp1256", "Arabic (cp1256)"],
  ["mac_roman", "Western European, old (Mac Roman)"],
  ["cp850", "Western European, old (cp850)"],
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

/** The likeliest encodings side by side, each with what its words become; pressing one reads the file so. */
function SideBySide({
  readings,
  taken,
  busy,
  take,
}: {
  readings: readonly Schema["EncodingReading"][];
  taken?: string | null;
  busy: boolean;
  take: (encoding: string) => void;
}) {
  const names = new Map<string, string>(ENCODINGS);
  return (
    <fieldset className="my-3">
      <legend className="font-semibold text-sm">Which of these looks right?</legend>
      {readings.map(({ encoding, words }) => (
        <button
          key={encoding}
          type="button"
          aria-pressed={encoding === taken}
          disabled={busy}
          onClick={() => take(encoding)}
          className={`mt-1 block w-full rounded border px-2 py-1 text-left hover:bg-wash ${encoding === taken ? "border-ink" : "border-rule"}`}
        >
          <span className="font-serif">{words.join(", ")}</span>
          <span className="block text-soft text-xs">{names.get(encoding) ?? encoding}</span>
        </button>
      ))}
    </fieldset>
  );
}

/** Rows that are no records: titles, notes and totals, headings once more, hidden rows. */
function LeftOut({
  reading,
  busy,
  say,
}: {
  reading: Schema["Source"];
  busy: boolean;
  say: (said: Partial<Schema["Source"]>) => void;
}) {
  const [open, setOpen] = useState(false);
  const parts = [
    reading.rows_above ? `${plural(reading.rows_above, "row")} above the headings` : "",
    reading.rows_below ? `${plural(reading.rows_below, "row")} below the records` : "",
    reading.repeated ? "headings that are repeated" : "",
    reading.hidden ? "hidden rows" : "",
  ].filter(Boolean);
  const rows = (label: string, key: "rows_above" | "rows_below") => (
    <Field label={label}>
      {(p) => (
        <NumberField
          {...p}
          value={reading[key] ?? 0}
          empty={false}
          fits={(n) => Number.isInteger(n) && n >= 0 && n <= 100}
          disabled={busy}
          take={(n) => say({ [key]: n })}
        />
      )}
    </Field>
  );
  return (
    <div className="my-2 text-sm">
      <p>
        <span className="font-semibold">Left out: </span>
        {parts.length ? parts.join(", ") : "nothing"}.{" "}
        <button
          type="button"
          data-passing
          className="text-act underline"
          aria-expanded={open}
          onClick={() => setOpen(!open)}
        >
          Change
        </button>
      </p>
      {open && (
        <>
          {rows("Title rows above the headings", "rows_above")}
          {rows("Notes and totals below the records", "rows_below")}
          <Tick
            label="Leave out headings that are repeated"
            checked={reading.repeated !== false}
            disabled={busy}
            onChange={(e) => say({ repeated: e.target.checked ? null : false })}
          />
          {reading.format === "xlsx" && (
            <Tick
              label="Leave out hidden rows"
              checked={reading.hidden !== false}
              disabled={busy}
              onChange={(e) => say({ hidden: e.target.checked ? null : false })}
            />
          )}
        </>
      )}
    </div>
  );
}

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
          {!!file.readings?.length && (
            <SideBySide
              readings={file.readings}
              taken={reading.encoding}
              busy={again.isPending}
              take={(encoding) => again.mutate({ encoding })}
            />
          )}
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
          {pick("Header rows", String(reading.header_rows), ROWS, (rows) => ({
            header_rows: Number(rows),
            names_row: Math.min(reading.names_row ?? 1, Number(rows)),
          }))}
          {reading.header_rows > 1 &&
            pick(
              "Variable names are in",
              String(reading.names_row ?? 1),
              NAMES.slice(0, reading.header_rows),
              (row) => ({
                names_row: Number(row),
              }),
            )}
          {pick("Decimal separator", reading.decimal ?? ".", DECIMALS, (decimal) => ({
            decimal: decimal as "." | ",",
          }))}
          <LeftOut reading={reading} busy={again.isPending} say={(said) => again.mutate(said)} />
          <p className="text-soft text-xs">Guessed from the file. Change one, and the preview follows.</p>
        </>
      )}
      {again.error instanceof Refusal && <Faults faults={again.error.faults} />}
    </section>
  );
}
