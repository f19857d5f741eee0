import { useMemo } from "react";
import type { Schema } from "../../api/client";
import { count } from "../../parts/figures";
import { useAnswer } from "../../parts/labels";
import { keyAt, keyOfCell } from "./cell-keys";
import { decimalsByColumn, grouped, lacking, printed, saysBeside, shapeAt } from "./figure-lines";
import { type Pins, saysBefore } from "./pinned";
import { atOf, Sorter } from "./sorter";

type Line = Schema["Line"];
type Cell = Schema["Cell"];
type Sort = NonNullable<Schema["Display"]["rows"]>;

/** How many kinds of figure stand in each category's row. */
const figuresOf = (section: Schema["Section"]) =>
  new Set(section.lines.filter((l) => l.strong && (l.code != null || l.net != null)).map((l) => l.figure)).size;

/** The room of decimals that a figure lacks and others of its column have. */
function Room({ shape, most }: { shape: string; most: number }) {
  return (
    <span className="invisible" aria-hidden>
      {lacking(shape, most)}
    </span>
  );
}

/** One figure of the table with its letters, its mark, and what stands beside it. */
function Figure({
  main,
  beside,
  column,
  room,
  choose,
  before,
}: {
  main: Line;
  beside: readonly Line[];
  column: number;
  room: number;
  choose: (() => void) | undefined;
  /** What it was when the table was pinned, where that differs. */
  before: string | null;
}) {
  const weak = main.marks?.[column]?.join("; ");
  return (
    <button
      type="button"
      data-passing
      disabled={!choose}
      onClick={choose}
      className="w-full rounded text-right hover:bg-wash"
    >
      <span className="block whitespace-nowrap" title={weak ? `Unreliable: ${weak}` : undefined}>
        {main.letters?.[column] && (
          <span className="pr-1.5 font-semibold text-act text-xs">{main.letters[column]}</span>
        )}
        {weak && (
          <>
            <span className="text-heed" aria-hidden>
              °
            </span>
            <span className="sr-only">unreliable: {weak}; </span>
          </>
        )}
        {main.hidden?.[column] ? (
          <span title="Suppressed: few cases, or it would reveal others">×</span>
        ) : (
          printed(main.values[column], shapeAt(main, column))
        )}
        <Room shape={main.values[column] == null ? "whole" : shapeAt(main, column)} most={room} />
      </span>
      {before && <span className="block whitespace-nowrap text-heed text-xs">{before}</span>}
      {saysBeside(beside, column).map((text) => (
        <span key={text} className="block whitespace-nowrap text-soft text-xs">
          {text}
        </span>
      ))}
    </button>
  );
}

/** A row of headings with nothing over the columns that have none there. */
function filled(spanners: readonly Schema["Spanner"][], first: number, columns: number) {
  const row: (Omit<Schema["Spanner"], "text"> & { text: string | null })[] = [];
  let at = first;
  for (const spanner of spanners) {
    if (spanner.first > at) row.push({ first: at, span: spanner.first - at, text: null });
    row.push(spanner);
    at = spanner.first + spanner.span;
  }
  return at < columns ? [...row, { first: at, span: columns - at, text: null }] : row;
}

/** The table as a page of a statistical yearbook. */
export function Page({
  view,
  chosen,
  choose,
  display,
  redisplay,
  pins,
}: {
  view: Schema["TableView"];
  chosen: Cell | undefined;
  choose: (cell: Cell) => void;
  display: Schema["Display"];
  redisplay: (to: Schema["Display"]) => void;
  pins: Pins | undefined;
}) {
  const shown = useAnswer();
  const { grid, result } = view;
  const cells = useMemo(() => new Map(result?.cells.map((c) => [keyOfCell(c), c])), [result]);
  if (!grid || !result) return null;
  const decimals = decimalsByColumn(
    grid.sections.flatMap((s) => s.lines),
    grid.columns,
  );
  const depth = grid.headings.length;
  const rows = grid.headings.map((spanners, level) => ({ spanners, level })).filter((r) => r.spanners.length);
  const headings = rows.length ? rows : [{ spanners: [], level: 0 }];
  const total = !grid.battery && grid.paths[0]?.length === 0;
  /** The step of a column's path that a row of headings is of: innermost categories stand in the last one. */
  const stepAt = (first: number, level: number) => {
    const path = grid.paths[first] ?? [];
    return path[(level - 1 - depth) / 2 + path.length];
  };
  const labelOf = (first: number, level: number, text: string) => shown(stepAt(first, level)?.code, text);
  const byShare = result.cells.some((c) => c.stat === "col_pct");
  // Where groups stand across, all lines are of one figure of their item.
  const each = grid.figure ? grid.sections[0]?.lines[0] : undefined;
  const stat = each?.stat ?? (byShare ? "col_pct" : (result.cells[0]?.stat ?? "col_pct"));
  const by = each ? { stat, code: each.code, net: each.net } : { stat };
  const sortRows = (to: Sort | null) => redisplay({ ...display, rows: to });
  const sortOf = (first: number): Sort => {
    const column = grid.battery?.[first];
    if (column) return { stat: column.stat, code: column.code, net: column.net };
    return { ...by, at: atOf(grid.paths[first]) };
  };
  const sortable = (first: number) => (grid.battery ? grid.battery[first]?.stat !== "base" : byShare || each != null);
  const sorted = grid.battery || each ? "items" : "rows";
  const isNet = (first: number, level: number) =>
    grid.battery ? grid.battery[first]?.net != null : stepAt(first, level)?.net != null;
  const single = !grid.battery && result.banners.some((b) => b.variables.length === 1);
  const letterOf = (spanner: { first: number; span: number }, level: number) =>
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
                  {grid.figure && <span className="block text-ink">{grid.figure}</span>}
                </th>
              )}
              {k === 0 && total && (
                <th
                  rowSpan={headings.length}
                  scope="col"
                  className="px-3 py-1 text-right align-bottom font-semibold font-serif"
                >
                  {sortable(0) ? (
                    <Sorter text="All" sort={{ ...by, at: {} }} now={display.rows} take={sortRows} what={sorted} />
                  ) : (
                    "All"
                  )}
                </th>
              )}
              {filled(spanners, total ? 1 : 0, grid.columns).map((s) =>
                s.text == null ? (
                  <td key={s.first} colSpan={s.span} />
                ) : (
                  <th
                    key={s.first}
                    colSpan={s.span}
                    scope={s.span > 1 ? "colgroup" : "col"}
                    className={`py-0.5 font-serif ${grid.battery ? "px-2" : "px-3"} ${level % 2 ? `${s.span > 1 ? "border-hair border-b text-center" : "text-right"} align-bottom font-semibold ${grid.battery ? "min-w-16" : "min-w-20"} ${isNet(s.first, level) ? "italic" : ""}` : "border-hair border-b text-center font-normal italic"}`}
                  >
                    {level === depth - 1 && s.span === 1 && sortable(s.first) ? (
                      <Sorter
                        text={labelOf(s.first, level, s.text)}
                        sort={sortOf(s.first)}
                        now={display.rows}
                        take={sortRows}
                        what={sorted}
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
                ),
              )}
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
                    : "▲ There is no figure to show here."}
                </td>
              </tr>
            )}
            {grouped(section.lines).map(({ main, beside }) => (
              <tr key={`${main.variable}-${main.code}-${main.net}-${main.stat}`} className="align-top">
                <th
                  scope="row"
                  className={`py-1 pr-4 pl-3 text-left ${main.net != null && !each ? "font-semibold italic" : "font-normal"}`}
                >
                  <span className="flex items-baseline justify-between gap-3">
                    <span>
                      {main.category &&
                        (single && (main.code != null || main.net != null) ? (
                          <Sorter
                            text={each ? main.category : shown(main.code, main.category)}
                            sort={{
                              stat: main.stat,
                              variable: main.variable ?? section.variable,
                              code: main.code,
                              net: main.net,
                            }}
                            now={display.columns}
                            take={(columns) => redisplay({ ...display, columns })}
                            what="columns"
                          />
                        ) : each ? (
                          main.category
                        ) : (
                          shown(main.code, main.category)
                        ))}
                    </span>
                    {(figuresOf(section) > 1 || (main.code == null && main.net == null && !grid.battery && !each)) && (
                      <span className="text-soft text-xs">{main.figure}</span>
                    )}
                  </span>
                </th>
                {main.values.map((_, c) => {
                  const key = keyAt(grid, section, main, c);
                  const cell = cells.get(key);
                  return (
                    <td
                      // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
                      key={c}
                      className={`py-1 text-right ${grid.battery ? "px-2" : "px-3"} ${cell && cell === chosen ? "bg-wash" : ""}`}
                    >
                      <Figure
                        main={main}
                        beside={beside}
                        column={c}
                        room={decimals[c] ?? 0}
                        choose={cell && (() => choose(cell))}
                        before={pins ? saysBefore(pins.get(key), main, c) : null}
                      />
                    </td>
                  );
                })}
              </tr>
            ))}
            {section.bases.map((bases, k) => (
              <tr key={bases.label} className={k ? "" : "border-hair border-t"}>
                <th scope="row" className="py-1 pr-4 pl-3 text-left font-normal italic">
                  {bases.label}
                </th>
                {bases.values.map((base, c) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
                  <td key={c} className="px-3 py-1 text-right italic">
                    {base == null ? "×" : count(base)}
                    <Room shape="whole" most={decimals[c] ?? 0} />
                  </td>
                ))}
              </tr>
            ))}
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
