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
  new Set(section.lines.filter((l) => l.strong && (l.code != null || l.net != null)).map((l) => l.figure)).size;

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
  const find = (section: Schema["Section"], line: Line, column: number) => {
    const of = grid.battery?.[column] ?? line;
    const path = grid.battery ? section.path : grid.paths[column];
    return result.cells.find(
      (c) =>
        c.stub.variable === (line.variable ?? section.variable) &&
        (c.stub.code ?? null) === (of.code ?? null) &&
        (c.stub.net ?? null) === (of.net ?? null) &&
        c.stat === of.stat &&
        JSON.stringify(c.banner.map((b) => [b.variable, b.code])) ===
          JSON.stringify(path?.map((b) => [b.variable, b.code])),
    );
  };
  const depth = grid.headings.length;
  const labelOf = (first: number, level: number, text: string) =>
    shown(grid.paths[first]?.[(level - 1) / 2]?.code, text);
  const letterOf = (spanner: Schema["Spanner"], level: number) =>
    level === depth - 1 && spanner.span === 1 ? grid.letters?.[spanner.first] : null;
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
                  className="min-w-52 py-1 pr-4 text-left align-bottom font-normal text-soft"
                >
                  n = {count(result.in_filter)}
                </th>
              )}
              {level === 0 && !grid.battery && (
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
                  {letterOf(s, level) && (
                    <span className="block font-normal text-soft text-xs">{letterOf(s, level)}</span>
                  )}
                </th>
              ))}
            </tr>
          ))}
        </thead>
        {grid.sections.map((section) => (
          <tbody key={section.variable + section.title}>
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
              <tr key={`${main.variable}-${main.code}-${main.net}-${main.stat}`} className="align-top">
                <th
                  scope="row"
                  className={`py-1 pr-4 pl-3 text-left ${main.net != null ? "font-semibold italic" : "font-normal"}`}
                >
                  {main.category && shown(main.code, main.category)}
                  {(figuresOf(section) > 1 || (main.code == null && main.net == null && !grid.battery)) && (
                    <span className="block text-soft text-xs">{main.figure}</span>
                  )}
                </th>
                {main.values.map((value, c) => {
                  const cell = find(section, main, c);
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
                        <span
                          className="block whitespace-nowrap"
                          title={main.marks?.[c] ? `Weak: ${main.marks[c]}` : undefined}
                        >
                          {main.letters?.[c] && (
                            <span className="pr-1.5 font-semibold text-act text-xs">{main.letters[c]}</span>
                          )}
                          {main.marks?.[c] && (
                            <>
                              <span className="text-heed" aria-hidden>
                                °
                              </span>
                              <span className="sr-only">weak: {main.marks[c]}; </span>
                            </>
                          )}
                          {printed(value, main.shapes?.[c] ?? main.shape)}
                        </span>
                        {errors && error?.values[c] != null && (
                          <span className="block text-soft text-xs">
                            ({printed(error.values[c], main.shapes?.[c] ?? main.shape)})
                          </span>
                        )}
                        {limits && (low?.values[c] != null || high?.values[c] != null) && (
                          <span className="block whitespace-nowrap text-soft text-xs">
                            {printed(low?.values[c], main.shapes?.[c] ?? main.shape)} to{" "}
                            {printed(high?.values[c], main.shapes?.[c] ?? main.shape)}
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
