import { useMemo } from "react";
import type { Schema } from "../../api/client";
import { count, decimals } from "../../parts/figures";
import { useAnswer } from "../../parts/labels";

type Line = Schema["Line"];
type Cell = Schema["Cell"];
type Sort = NonNullable<Schema["Display"]["rows"]>;

const named = (
  variable: string,
  code: number | null | undefined,
  net: string | null | undefined,
  path: readonly Schema["BannerKey"][] | null | undefined,
  stat: string,
) =>
  JSON.stringify([
    variable,
    code ?? null,
    net ?? null,
    path?.map((b) => [b.variable, b.code ?? null, b.net ?? null]),
    stat,
  ]);

/** What a column stands for, as a sort by it names it. */
export const atOf = (path: readonly Schema["BannerKey"][] | undefined) =>
  Object.fromEntries((path ?? []).map((b) => [b.variable, b.net ?? b.code ?? ""]));

/** The next of three: largest first, smallest first, as it was. */
export function turned(now: Sort | null | undefined, wanted: Sort): Sort | null {
  const same = now && JSON.stringify({ ...now, ascending: false }) === JSON.stringify({ ...wanted, ascending: false });
  if (!same) return wanted;
  return now.ascending ? null : { ...wanted, ascending: true };
}

const whole = (sort: Sort): Sort => ({
  stat: sort.stat ?? "col_pct",
  variable: sort.variable ?? null,
  code: sort.code ?? null,
  net: sort.net ?? null,
  at: sort.at ?? {},
  ascending: sort.ascending ?? false,
});

/** A heading that sorts what it heads. */
function Sorter({
  text,
  sort,
  now,
  take,
  what,
}: {
  text: string;
  sort: Sort;
  now: Sort | null | undefined;
  take: (to: Sort | null) => void;
  what: string;
}) {
  const wanted = whole(sort);
  const mine = now && JSON.stringify({ ...whole(now), ascending: false }) === JSON.stringify(wanted);
  return (
    <button
      type="button"
      data-passing
      title={`Sort ${what} by this; once more: the other way, then as it was`}
      className="rounded hover:bg-wash"
      onClick={() => take(turned(now && whole(now), wanted))}
    >
      {text}
      {mine && (
        <span className="pl-1 text-act" aria-hidden>
          {now.ascending ? "↑" : "↓"}
        </span>
      )}
    </button>
  );
}

/** A figure as it is printed: per cent with one decimal, numbers with two, counts whole. */
export function printed(value: number | null | undefined, shape: string) {
  if (value == null) return "–";
  if (shape === "share") return decimals(100 * value, 1);
  return shape === "whole" ? count(value) : decimals(value, 2);
}

interface Group {
  main: Line;
  beside: Line[];
}

/** Lines of one figure belong together: the estimate, and what stands beside it. */
function grouped(lines: readonly Line[]): Group[] {
  const groups: Group[] = [];
  for (const line of lines) {
    const last = groups[groups.length - 1];
    if (line.strong || !last) groups.push({ main: line, beside: [] });
    else last.beside.push(line);
  }
  return groups;
}

/** What stands beside a figure in a column, a line each: (0.8), 32.2 to 35.2, rse 4.1 %, deff 1.20, effective 1,833. */
function saysBeside(lines: readonly Line[], column: number): string[] {
  const said: string[] = [];
  for (const line of lines) {
    const value = line.values[column];
    const text = printed(value, line.shapes?.[column] ?? line.shape);
    if (line.figure.endsWith(" from")) {
      const to = lines.find((l) => l.figure === line.figure.replace(/ from$/, " to"));
      const high = to?.values[column];
      if (value != null || high != null) said.push(`${text} to ${printed(high, line.shapes?.[column] ?? line.shape)}`);
    } else if (value != null && !line.figure.endsWith(" to")) {
      const short = line.figure.startsWith("Relative")
        ? `rse ${text} %`
        : line.figure.startsWith("Design")
          ? `deff ${text}`
          : line.figure.startsWith("Effective")
            ? `eff. ${text}`
            : `(${text})`;
      said.push(short);
    }
  }
  if (!lines.some((l) => l.figure.endsWith(" from"))) {
    const to = lines.find((l) => l.figure.endsWith(" to"));
    if (to?.values[column] != null) said.push(`– to ${printed(to.values[column], to.shapes?.[column] ?? to.shape)}`);
  }
  return said;
}

/** How many kinds of figure stand in each category's row. */
const figuresOf = (section: Schema["Section"]) =>
  new Set(section.lines.filter((l) => l.strong && (l.code != null || l.net != null)).map((l) => l.figure)).size;

/** The table as a page of a statistical yearbook. */
export function Page({
  view,
  chosen,
  choose,
  display,
  redisplay,
}: {
  view: Schema["TableView"];
  chosen: Cell | null;
  choose: (cell: Cell) => void;
  display: Schema["Display"];
  redisplay: (to: Schema["Display"]) => void;
}) {
  const shown = useAnswer();
  const { grid, result } = view;
  const cells = useMemo(
    () => new Map(result?.cells.map((c) => [named(c.stub.variable, c.stub.code, c.stub.net, c.banner, c.stat), c])),
    [result],
  );
  if (!grid || !result) return null;
  const find = (section: Schema["Section"], line: Line, column: number) => {
    const of = grid.battery?.[column] ?? line;
    const path = grid.battery ? section.path : grid.paths[column];
    return cells.get(named(line.variable ?? section.variable, of.code, of.net, path, of.stat));
  };
  const depth = grid.headings.length;
  const rows = grid.headings.map((spanners, level) => ({ spanners, level })).filter((r) => r.spanners.length);
  const headings = rows.length ? rows : [{ spanners: [], level: 0 }];
  const total = !grid.battery && grid.paths[0]?.length === 0;
  const labelOf = (first: number, level: number, text: string) =>
    shown(grid.paths[first]?.[(level - 1) / 2]?.code, text);
  const byShare = result.cells.some((c) => c.stat === "col_pct");
  const stat = byShare ? "col_pct" : (result.cells[0]?.stat ?? "col_pct");
  const sortRows = (to: Sort | null) => redisplay({ ...display, rows: to });
  const sortOf = (first: number): Sort => {
    const column = grid.battery?.[first];
    return column ? { stat: column.stat, code: column.code, net: column.net } : { stat, at: atOf(grid.paths[first]) };
  };
  const sortable = (first: number) => (grid.battery ? grid.battery[first]?.stat !== "base" : byShare);
  const isNet = (first: number) =>
    grid.battery ? grid.battery[first]?.net != null : grid.paths[first]?.at(-1)?.net != null;
  const single = !grid.battery && result.banners.some((b) => b.variables.length === 1);
  const letterOf = (spanner: Schema["Spanner"], level: number) =>
    level === depth - 1 && spanner.span === 1 ? grid.letters?.[spanner.first] : null;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
    <section aria-label={result.title} tabIndex={0} className="max-h-[60vh] overflow-auto">
      <table className="figures border-collapse text-sm">
        <caption className="sr-only">{result.title}</caption>
        <thead className="sticky top-0 border-rule border-t-2 border-b bg-paper">
          {headings.map(({ spanners, level }, k) => (
            <tr key={level}>
              {k === 0 && (
                <th
                  rowSpan={headings.length}
                  className="min-w-52 py-1 pr-4 text-left align-bottom font-normal text-soft"
                >
                  n = {result.in_filter == null ? "×" : count(result.in_filter)}
                </th>
              )}
              {k === 0 && total && (
                <th
                  rowSpan={headings.length}
                  scope="col"
                  className="px-3 py-1 text-right align-bottom font-semibold font-serif"
                >
                  {byShare ? (
                    <Sorter text="All" sort={{ stat, at: {} }} now={display.rows} take={sortRows} what="rows" />
                  ) : (
                    "All"
                  )}
                </th>
              )}
              {spanners.map((s) => (
                <th
                  key={s.first}
                  colSpan={s.span}
                  scope={s.span > 1 ? "colgroup" : "col"}
                  className={`py-0.5 font-serif ${grid.battery ? "px-2" : "px-3"} ${level % 2 ? `text-right align-bottom font-semibold ${grid.battery ? "min-w-16" : "min-w-20"} ${isNet(s.first) ? "italic" : ""}` : "border-hair border-b text-center font-normal italic"}`}
                >
                  {level === depth - 1 && s.span === 1 && sortable(s.first) ? (
                    <Sorter
                      text={labelOf(s.first, level, s.text)}
                      sort={sortOf(s.first)}
                      now={display.rows}
                      take={sortRows}
                      what={grid.battery ? "items" : "rows"}
                    />
                  ) : level % 2 ? (
                    labelOf(s.first, level, s.text)
                  ) : (
                    s.text
                  )}
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
            {section.lines.every((l) => l.values.every((v) => !v)) && !section.lines.some((l) => l.hidden) && (
              <tr>
                <td colSpan={grid.columns + 1} className="py-1 pl-3 text-heed">
                  {result.in_filter === 0
                    ? "▲ No case meets the filter, so there is nothing to count."
                    : "▲ Nobody in the filter answered this."}
                </td>
              </tr>
            )}
            {grouped(section.lines).map(({ main, beside }) => (
              <tr key={`${main.variable}-${main.code}-${main.net}-${main.stat}`} className="align-top">
                <th
                  scope="row"
                  className={`py-1 pr-4 pl-3 text-left ${main.net != null ? "font-semibold italic" : "font-normal"}`}
                >
                  {main.category &&
                    (single && (main.code != null || main.net != null) ? (
                      <Sorter
                        text={shown(main.code, main.category)}
                        sort={{ stat: main.stat, variable: section.variable, code: main.code, net: main.net }}
                        now={display.columns}
                        take={(columns) => redisplay({ ...display, columns })}
                        what="columns"
                      />
                    ) : (
                      shown(main.code, main.category)
                    ))}
                  {(figuresOf(section) > 1 || (main.code == null && main.net == null && !grid.battery)) && (
                    <span className="block text-soft text-xs">{main.figure}</span>
                  )}
                </th>
                {main.values.map((value, c) => {
                  const cell = find(section, main, c);
                  return (
                    <td
                      // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
                      key={c}
                      className={`py-1 text-right ${grid.battery ? "px-2" : "px-3"} ${cell && cell === chosen ? "bg-wash" : ""}`}
                    >
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
                          {main.hidden?.[c] ? (
                            <span title="Hidden: few cases, or it would give others away">×</span>
                          ) : (
                            printed(value, main.shapes?.[c] ?? main.shape)
                          )}
                        </span>
                        {saysBeside(beside, c).map((text) => (
                          <span key={text} className="block whitespace-nowrap text-soft text-xs">
                            {text}
                          </span>
                        ))}
                      </button>
                    </td>
                  );
                })}
              </tr>
            ))}
            {!grid.battery && section.bases.length > 0 && (
              <tr className="border-hair border-t">
                <th scope="row" className="py-1 pr-4 pl-3 text-left font-normal italic">
                  Base (unweighted)
                </th>
                {section.bases.map((base, c) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
                  <td key={c} className="px-3 py-1 text-right italic">
                    {base == null ? "×" : count(base)}
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
