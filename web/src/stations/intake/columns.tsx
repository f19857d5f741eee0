import { useQuery } from "@tanstack/react-query";
import { api, got, type Schema } from "../../api/client";
import { Choice } from "../../parts/fields";
import { count, plural } from "../../parts/figures";
import { Bar } from "../../parts/panes";

export type Kind = "coded" | "number" | "text" | "date";
export type Kinds = Record<string, Kind>;

const KINDS: readonly (readonly [Kind, string])[] = [
  ["text", "text"],
  ["number", "number"],
  ["coded", "codes"],
  ["date", "date"],
];

/** A column's kind, which may be overruled; what then does not read is said at once. */
function KindField({
  file,
  column,
  said,
  say,
}: {
  file: Schema["FilePreview"];
  column: Schema["FilePreview"]["columns"][number];
  said?: Kind;
  say: (kind: Kind | undefined) => void;
}) {
  const { data } = useQuery({
    queryKey: ["file", file.id, "as", column.name, said],
    enabled: said != null,
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () =>
      got(
        api.GET("/api/v1/files/{file_id}/columns/{name}/as/{kind}", {
          params: { path: { file_id: file.id, name: column.name, kind: said ?? "text" } },
        }),
      ),
  });
  return (
    <>
      <Choice
        aria-label={`Kind of ${column.name}`}
        className="!w-24 !px-1 !py-0"
        value={said ?? column.kind}
        options={KINDS}
        onChange={(e) => say(e.target.value === column.kind ? undefined : (e.target.value as Kind))}
      />
      {said && data && (
        <span className={`block max-w-44 text-xs ${data.unplaced ? "text-heed" : "text-soft"}`}>
          {data.unplaced
            ? `▲ ${plural(data.unplaced, "entry does", "entries do")} not read: ${data.left
                .slice(0, 3)
                .map((a) => `“${a.text}”`)
                .join(", ")}`
            : `${plural(data.placed, "entry reads", "entries read")}`}
        </span>
      )}
    </>
  );
}

/** Columns of a file as they arrive: name, heading, kind, blanks, answers. `say` lets the guessed kinds be overruled. */
export function ColumnList({
  file,
  kinds = {},
  say,
}: {
  file: Schema["FilePreview"];
  kinds?: Kinds;
  say?: (to: Kinds) => void;
}) {
  return (
    <table className="w-full text-sm">
      <thead>
        <tr className="border-rule border-y text-left font-serif">
          <th className="py-1 pr-4 font-semibold">Column</th>
          <th className="pr-4 font-semibold">Kind</th>
          <th className="pr-4 text-right font-semibold">Blank</th>
          <th className="pr-4 text-right font-semibold">Distinct</th>
          <th className="font-semibold">Answers, most frequent first</th>
        </tr>
      </thead>
      <tbody>
        {file.columns.map((column) => (
          <tr key={column.name} className="border-hair border-b align-top">
            <td className="max-w-72 py-1.5 pr-4">
              <span className="font-semibold">{column.name}</span>
              {column.label !== column.name && <span className="block font-serif text-soft">{column.label}</span>}
            </td>
            <td className="py-1.5 pr-4">
              {say ? (
                <KindField
                  file={file}
                  column={column}
                  said={kinds[column.name]}
                  say={(kind) => {
                    const { [column.name]: _, ...others } = kinds;
                    say(kind ? { ...others, [column.name]: kind } : others);
                  }}
                />
              ) : (
                column.kind
              )}
            </td>
            <td className="figures py-1.5 pr-4 text-right">{count(column.blanks)}</td>
            <td className="figures py-1.5 pr-4 text-right">{count(column.distinct)}</td>
            <td className="py-1.5">
              {column.distinct > 40 ? (
                <span className="text-soft">
                  {column.answers
                    .slice(0, 3)
                    .map((a) => a.text)
                    .join(" · ")}{" "}
                  …
                </span>
              ) : (
                <ul className="max-w-md">
                  {column.answers.slice(0, 6).map((answer) => (
                    <li key={answer.text} className="grid grid-cols-[1fr_4rem_3rem] items-center gap-2">
                      <span className="truncate whitespace-pre">{answer.text}</span>
                      <Bar share={answer.cases / file.records} />
                      <span className="figures text-right text-soft">{count(answer.cases)}</span>
                    </li>
                  ))}
                  {column.distinct > 6 && <li className="text-soft">and {plural(column.distinct - 6, "other")}</li>}
                </ul>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
