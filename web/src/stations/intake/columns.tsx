import type { Schema } from "../../api/client";
import { count, plural } from "../../parts/figures";
import { Bar } from "../../parts/panes";

/** Columns of a file as they arrive: name, heading, kind, blanks, answers. */
export function ColumnList({ file }: { file: Schema["FilePreview"] }) {
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
            <td className="py-1.5 pr-4">{column.kind}</td>
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
