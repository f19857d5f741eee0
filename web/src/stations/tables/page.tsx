import type { Schema } from "../../api/client";
import { count, decimals } from "../../parts/figures";
import { useAnswer } from "../../parts/labels";

type Line = Schema["Line"];
type Cell = Schema["Cell"];

/** A figure as it is printed: per cent with one decimal, numbers with two, counts whole. */
export function printed(value: number | null | undefined, shape: string) {
  if (value == null) return "–";
  if (shape === "share") return decimals(100 * value, 1);
  return shape === "whole" ? count(value) : decimals(value, 2);
}

interface Group {
  main: Line;
  error?: Line;
  low?: Line;
  high?: Line;
}

/** Lines of one figure belong together: the estimate, its standard error, its limits. */
function grouped(lines: readonly Line[]): Group[] {
  const groups: Group[] = [];
  for (const line of lines) {
    const last = groups[groups.length - 1];
    if (line.strong || !last) groups.push({ main: line });
    else if (line.figure === "Standard error") last.error = line;
    else if (line.figure.endsWith("from")) last.low = line;
    else last.high = line;
  }
  return groups;
}

/** How many kinds of figure stand in each category's row. */
const figuresOf = (section: Schema["Section"]) =>
  new Set(section.lines.filter((l) => l.strong && l.code != null).map((l) => l.figure)).size;

/** The table as a page of a statistical yearbook. */
export function Page({
  view,
  errors,
  limits,
  chosen,
  choose,
}: {
  view: Schema["TableView"];
  errors: boolean;
  limits: boolean;
  chosen: Cell | null;
  choose: (cell: Cell) => void;
}) {
  const shown = useAnswer();
  const { grid, result } = view;
  if (!grid || !result) return null;
  const find = (variable: string, line: Line, column: number) =>
    result.cells.find(
      (c) =>
        c.stub.variable === variable &&
        (c.stub.code ?? null) === (line.code ?? null) &&
        c.stat === line.stat &&
        JSON.stringify(c.banner.map((b) => [b.variable, b.code])) ===
          JSON.stringify(grid.paths[column]?.map((b) => [b.variable, b.code])),
    );
  const depth = grid.headings.length;
  const labelOf = (first: number, level: number, text: string) =>
    shown(grid.paths[first]?.[(level - 1) / 2]?.code, text);
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
    <section aria-label={result.title} tabIndex={0} className="max-h-[60vh] overflow-auto">
      <table className="figures border-collapse text-sm">
        <caption className="sr-only">{result.title}</caption>
        <thead className="sticky top-0 bg-paper">
          {(depth ? grid.headings : [[]]).map((spanners, level) => (
            <tr
              // biome-ignore lint/suspicious/noArrayIndexKey: heading rows have no other name than their place
              key={level}
              className={`${level === 0 ? "border-rule border-t-2" : ""} ${level >= depth - 1 ? "border-rule border-b" : ""}`}
            >
              {level === 0 && (
                <th
                  rowSpan={Math.max(depth, 1)}
                  className="min-w-56 py-1 pr-4 text-left align-bottom font-normal text-soft"
                >
                  n = {count(result.in_filter)}
                </th>
              )}
              {level === 0 && (
                <th
                  rowSpan={Math.max(depth, 1)}
                  scope="col"
                  className="px-3 py-1 text-right align-bottom font-semibold font-serif"
                >
                  All
                </th>
              )}
              {spanners.map((s) => (
                <th
                  key={s.first}
                  colSpan={s.span}
                  scope={s.span > 1 ? "colgroup" : "col"}
                  className={`px-3 py-0.5 font-serif ${level % 2 ? "min-w-20 text-right align-bottom font-semibold" : "border-hair border-b text-center font-normal italic"}`}
                >
                  {level % 2 ? labelOf(s.first, level, s.text) : s.text}
                </th>
              ))}
            </tr>
          ))}
        </thead>
        {grid.sections.map((section) => (
          <tbody key={section.variable}>
            <tr>
              <th
                colSpan={grid.columns + 1}
                scope="rowgroup"
                className="max-w-0 pt-3 pb-1 text-left font-semibold font-serif"
              >
                {section.title}
              </th>
            </tr>
            {grouped(section.lines).map(({ main, error, low, high }) => (
              <tr key={`${main.code}-${main.stat}`} className="align-top">
                <th scope="row" className="py-1 pr-4 pl-3 text-left font-normal">
                  {main.category && shown(main.code, main.category)}
                  {(figuresOf(section) > 1 || main.code == null) && (
                    <span className="block text-soft text-xs">{main.figure}</span>
                  )}
                </th>
                {main.values.map((value, c) => {
                  const cell = find(section.variable, main, c);
                  return (
                    // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
                    <td key={c} className={`px-3 py-1 text-right ${cell && cell === chosen ? "bg-wash" : ""}`}>
                      <button
                        type="button"
                        data-passing
                        disabled={!cell}
                        onClick={() => cell && choose(cell)}
                        className="w-full rounded text-right hover:bg-wash"
                      >
                        <span className="block">{printed(value, main.shape)}</span>
                        {errors && error && (
                          <span className="block text-soft text-xs">({printed(error.values[c], main.shape)})</span>
                        )}
                        {limits && (low || high) && (
                          <span className="block whitespace-nowrap text-soft text-xs">
                            {printed(low?.values[c], main.shape)} to {printed(high?.values[c], main.shape)}
                          </span>
                        )}
                      </button>
                    </td>
                  );
                })}
              </tr>
            ))}
            {section.bases.some((b) => b != null) && (
              <tr className="border-hair border-t">
                <th scope="row" className="py-1 pr-4 pl-3 text-left font-normal italic">
                  Base (unweighted)
                </th>
                {section.bases.map((base, c) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
                  <td key={c} className="px-3 py-1 text-right italic">
                    {count(base ?? 0)}
                  </td>
                ))}
              </tr>
            )}
          </tbody>
        ))}
        <tfoot>
          <tr>
            <td colSpan={grid.columns + 1} className="border-rule border-t-2" />
          </tr>
        </tfoot>
      </table>
    </section>
  );
}
