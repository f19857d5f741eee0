import { ClipboardText, Divide, Minus, Plus, Rows, TreeStructure, X } from "@phosphor-icons/react";
import { useNavigate } from "@tanstack/react-router";
import { type ReactNode, useState } from "react";
import type { Schema } from "../../api/client";
import { useStudy } from "../../api/queries";
import { statisticName, useVocabulary } from "../../api/vocabulary";
import { ActionButton } from "../../parts/actions";
import { copyText } from "../../parts/clipboard";
import { count, decimals, plainly } from "../../parts/figures";
import { printed } from "./figure-lines";
import { columnLabel, rowLabel } from "./headings";
import { APART, Planner } from "./planner";

const SHARES = ["col_pct", "row_pct", "total_pct", "response_pct"];

type Columns = Schema["ColumnComparison"];

/** The column a figure stands in: its banner variables, and its place in each. */
const columnOf = (cell: Schema["Cell"]) => ({
  variables: cell.banner.map((b) => b.variable),
  own: cell.banner.map((b) => b.net ?? b.code ?? ""),
});

/** A figure's column held against the others: differences with their intervals. */
function Compared({
  cell,
  result,
  compared,
  level,
}: {
  cell: Schema["Cell"];
  result: Schema["TableResult"];
  compared: readonly Columns[];
  level: string;
}) {
  const { variables, own } = columnOf(cell);
  const number = cell.stub.code == null && cell.stub.net == null;
  const stat = !number ? "col_pct" : cell.stat === "ratio" ? "ratio" : "mean";
  if (cell.stat !== stat) return null;
  const is = (path: readonly (number | string)[]) => JSON.stringify(path) === JSON.stringify(own);
  const mine = compared.filter(
    (t) =>
      (t.stat ?? null) === (stat === "ratio" ? "ratio" : null) &&
      JSON.stringify(t.banner) === JSON.stringify(variables) &&
      t.stub.variable === cell.stub.variable &&
      (t.stub.code ?? null) === (cell.stub.code ?? null) &&
      (t.stub.net ?? null) === (cell.stub.net ?? null) &&
      (is(t.a) || is(t.b)),
  );
  if (!mine.length) return null;
  const share = stat === "col_pct";
  const of = (x: number | null | undefined) => (x == null ? "–" : decimals(share ? 100 * x : x, share ? 1 : 2));
  return (
    <table className="figures mt-2 text-sm">
      <caption className="text-left text-soft text-xs">Difference from the other column ({level})</caption>
      <tbody>
        {mine.map((t) => {
          const sign = is(t.a) ? 1 : -1;
          const [low, high] = sign > 0 ? [t.low, t.high] : [t.high, t.low];
          return (
            <tr key={JSON.stringify([t.a, t.b])}>
              <td className="pr-6">{columnLabel(result, variables, is(t.a) ? t.b : t.a)}</td>
              <td className="pr-6 text-right">
                {of(sign * t.diff)}
                {share ? " points" : ""}
              </td>
              <td className="pr-6 text-soft">
                {of(low == null ? low : sign * low)} to {of(high == null ? high : sign * high)}
              </td>
              <td className="text-soft">
                {t.p_adjusted < 0.001 ? "p < 0.001" : `p = ${decimals(t.p_adjusted, 3)}`}
                {t.p_adjusted !== t.p && " (adjusted)"}
              </td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** What is behind a figure: its uncertainty, its bases, the other columns, and the cases themselves. */
export function Behind({
  cell,
  interval,
  result,
  compared,
  table,
  cases,
  contrast,
  drafted,
  close,
}: {
  cell: Schema["Cell"];
  interval?: Schema["Interval"];
  result: Schema["TableResult"];
  compared: readonly Columns[];
  table: string;
  cases: string | null;
  /** Takes the figure's column into a contrast, so often. */
  contrast: (at: Record<string, number>, times: number) => void;
  /** The contrast that is being made. */
  drafted: ReactNode;
  close: () => void;
}) {
  const study = useStudy();
  const vocabulary = useVocabulary();
  const navigate = useNavigate();
  const { variables, own } = columnOf(cell);
  const at = Object.fromEntries(cell.banner.map((b) => [b.variable, b.code ?? 0]));
  const [apart, setApart] = useState(false);
  const apartable = APART.includes(cell.stat) && cell.deff != null && cell.banner.every((b) => b.code != null);
  const share = SHARES.includes(cell.stat);
  const shape = share ? "share" : "number";
  const unit = share ? " %" : "";
  const plain = (est?: number | null, se?: number | null) =>
    est == null ? null : `${printed(est, shape)}${unit} (${printed(se, shape)})`;
  const level = `${plainly(100 * (interval?.level ?? 0.95))} % interval`;
  const facts: [string, string | null][] = [
    ["Estimate", printed(cell.est, shape) + unit],
    ["Standard error", cell.se == null ? null : printed(cell.se, shape) + (share ? " points" : "")],
    [
      level,
      cell.low == null && cell.high == null
        ? null
        : `${printed(cell.low, shape)} to ${printed(cell.high, shape)}${unit}`,
    ],
    ["Cases in the cell", cell.n == null ? null : count(cell.n)],
    ["Base (unweighted)", cell.base_n == null ? null : count(cell.base_n)],
    ["Design effect", cell.deff == null ? null : decimals(cell.deff, 2)],
    ["Effective base", cell.deff && cell.base_n != null ? count(cell.base_n / cell.deff) : null],
    [
      "Relative standard error",
      cell.se != null && cell.est ? `${decimals((100 * cell.se) / Math.abs(cell.est), 1)} %` : null,
    ],
    ["Degrees of freedom of its base", cell.df == null ? null : count(cell.df)],
    ["Simple random sample, unweighted", plain(cell.plain?.unweighted, cell.plain?.unweighted_se)],
    ["Simple random sample, weighted", plain(cell.plain?.weighted, cell.plain?.weighted_se)],
  ];
  const title = `${rowLabel(result, cell.stub)} · ${columnLabel(result, variables, own)} · ${statisticName(vocabulary, cell.stat)}`;
  const said = (wanted: readonly string[]) =>
    facts.filter(([name, value]) => value && wanted.includes(name)).map(([name, value]) => `${name} ${value}`);
  const inWords = `${title}: ${facts[0]?.[1]} (${said(["Standard error", level, "Base (unweighted)"]).join("; ").toLowerCase()})`;
  return (
    <aside
      aria-label="Behind the figure"
      className={`unroll sticky bottom-0 z-10 mt-3 flex max-w-4xl ${apart ? "max-h-[75vh]" : "max-h-[45vh]"} items-start overflow-y-auto border-act border-l-4 bg-leaf px-4 py-2 shadow-lg`}
    >
      <div className="grow">
        <p className="mb-1 font-serif">{title}</p>
        <dl className="figures flex flex-wrap gap-x-8 gap-y-1 text-sm">
          {facts.map(
            ([name, value]) =>
              value && (
                <div key={name}>
                  <dt className="text-soft text-xs">{name}</dt>
                  <dd>{value}</dd>
                </div>
              ),
          )}
        </dl>
        <Compared cell={cell} result={result} compared={compared} level={level} />
        <div className="flex flex-wrap">
          {cases != null && (
            <ActionButton
              id="cases-behind"
              label="The cases behind the figure"
              icon={Rows}
              className="mt-1 -ml-2"
              run={() =>
                navigate({
                  to: "/study/$id/screening/{-$item}",
                  params: { id: study.id, item: "cells" },
                  search: { where: cases } as never,
                })
              }
            />
          )}
          {result.banners.length > 0 && cell.banner.every((b) => b.code != null) && (
            <>
              <ActionButton
                id="into-contrast"
                label="Add its column to a contrast"
                icon={Plus}
                keys="+"
                className="mt-1"
                run={() => contrast(at, 1)}
              />
              <ActionButton
                id="out-of-contrast"
                label="Subtract its column in a contrast"
                icon={Minus}
                keys="-"
                className="mt-1"
                run={() => contrast(at, -1)}
              />
            </>
          )}
          {apartable && (
            <ActionButton
              id="deff-apart"
              label={apart ? "Hide the components of the design effect" : "Components of the design effect"}
              icon={Divide}
              pressed={apart}
              className="mt-1"
              run={() => setApart(!apart)}
            />
          )}
          <ActionButton
            id="copy-figure"
            label="Copy the figure in words"
            icon={ClipboardText}
            className="mt-1"
            run={() => copyText(inWords, "The figure is on the clipboard.")}
          />
          <ActionButton
            id="figure-depends"
            label="Sensitivity"
            icon={TreeStructure}
            className="mt-1"
            run={() =>
              navigate({
                to: "/study/$id/tables/{-$item}",
                params: { id: study.id, item: `_depends.${table}` },
                search: { figure: { stub: cell.stub, banner: cell.banner, stat: cell.stat } },
              })
            }
          />
        </div>
        {drafted}
        {apart && apartable && <Planner table={table} cell={cell} />}
      </div>
      <ActionButton id="close-behind" label="Close what is behind the figure" icon={X} bare look="quiet" run={close} />
    </aside>
  );
}
