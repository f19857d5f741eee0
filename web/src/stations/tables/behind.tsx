import { X } from "@phosphor-icons/react";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { count, decimals } from "../../parts/figures";
import { printed } from "./page";

const SHARES = ["col_pct", "row_pct", "total_pct", "response_pct"];

/** What is behind a figure. */
export function Behind({
  cell,
  interval,
  close,
}: {
  cell: Schema["Cell"];
  interval?: Schema["Interval"];
  close: () => void;
}) {
  const share = SHARES.includes(cell.stat);
  const shape = share ? "share" : "number";
  const unit = share ? " %" : "";
  const plain = (est?: number | null, se?: number | null) =>
    est == null ? null : `${printed(est, shape)}${unit} (${printed(se, shape)})`;
  const level = `${100 * (interval?.level ?? 0.95)} % interval`;
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
  return (
    <aside
      aria-label="Behind the figure"
      className="unroll mt-3 flex max-w-3xl items-start border-act border-l-4 bg-leaf px-4 py-2"
    >
      <dl className="figures flex grow flex-wrap gap-x-8 gap-y-1 text-sm">
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
      <ActionButton id="close-behind" label="Close what is behind the figure" icon={X} bare look="quiet" run={close} />
    </aside>
  );
}
