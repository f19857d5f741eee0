import { type DependenceLine, type PathLine, usePaths } from "../../../api/depends";
import { useSaved } from "../../../api/queries";
import { between, count, decimals, plural } from "../../../parts/figures";
import { Standing } from "./standing";
import { isShare, leftOut, type Published, placing, printer } from "./words";

/** A value that so great a share of ascending values lies below. */
export function quantile(sorted: readonly number[], share: number): number {
  const at = share * (sorted.length - 1);
  const [low, high] = [sorted[Math.floor(at)] ?? 0, sorted[Math.ceil(at)] ?? 0];
  return low + (high - low) * (at - Math.floor(at));
}

/** What the figure is over all combinations, in words. */
export function saysCombined(lines: readonly PathLine[], cell: Published): string {
  const figure = printer(cell);
  const unit = isShare(cell) ? " %" : "";
  const values = lines.flatMap((line) => (line.without == null ? [] : [line.without])).sort((a, b) => a - b);
  const [first, last] = [values[0], values[values.length - 1]];
  if (first == null || last == null) return "The figure cannot be calculated under any of these combinations.";
  const inside =
    cell.low != null && cell.high != null
      ? values.filter((x) => x >= (cell.low as number) && x <= (cell.high as number)).length
      : null;
  const within =
    inside == null ? "" : `, ${inside === values.length ? "all" : count(inside)} inside the published interval`;
  const middle = `half of them ${between(figure(quantile(values, 0.25)), figure(quantile(values, 0.75)))}${unit}`;
  const gone = lines.length - values.length;
  const none = gone ? `; for ${plural(gone, "combination")} it cannot be calculated` : "";
  return `Over ${plural(values.length, "combination")} it is ${between(figure(first), figure(last))}${unit}, ${middle}${within}${none}. Published: ${figure(cell.est)}${unit}.`;
}

/** A figure over every combination of the decisions chosen: how it is distributed, the published one marked. */
export function Combinations({
  table,
  cell,
  chosen,
}: {
  table: string;
  cell: Published;
  chosen: readonly DependenceLine[];
}) {
  const study = useSaved();
  const found = usePaths(
    study.id,
    study.edition,
    table,
    cell,
    chosen.map((line) => line.id),
  );
  const { lines, done, refusal } = found;
  const values = lines.flatMap((line) => (line.without == null ? [] : [line.without]));
  const at = placing([cell.est, cell.low, cell.high, ...values]);
  const figure = printer(cell);
  const named = new Map(chosen.map((line) => [line.id, leftOut(line)]));
  const sorted = [...lines].filter((line) => line.without != null).sort((a, b) => (a.without ?? 0) - (b.without ?? 0));
  const tall = Math.min(12, Math.max(3, 140 / Math.max(sorted.length, 1)));
  return (
    <section aria-label="Combinations" className="max-w-5xl">
      <Standing found={found} what="combinations calculated" />
      {done && !refusal && <p className="my-1 max-w-prose font-serif">{saysCombined(lines, cell)}</p>}
      {sorted.length > 0 && (
        <figure>
          <div
            role="img"
            aria-label={done ? saysCombined(lines, cell) : "The combinations so far"}
            className="relative my-2 border-rule border-y py-1"
          >
            {cell.low != null && cell.high != null && (
              <span
                className="absolute inset-y-0 bg-wash"
                style={{ left: `${at(cell.low)}%`, right: `${100 - at(cell.high)}%` }}
              />
            )}
            <span className="absolute inset-y-0 w-px bg-ink" style={{ left: `${at(cell.est)}%` }} />
            {sorted.map((line) => (
              <span key={line.at} className="relative block" style={{ height: tall }}>
                <span
                  className={`absolute top-1/2 -translate-x-1/2 -translate-y-1/2 ${line.decisions.length ? "size-1.5 rounded-full bg-act" : "size-2.5 rounded-full bg-ink"}`}
                  style={{ left: `${at(line.without as number)}%` }}
                />
              </span>
            ))}
          </div>
          <figcaption className="text-soft text-xs">
            Each point is a combination, lowest first; the line is the published figure, the shaded band its interval.
          </figcaption>
        </figure>
      )}
      {done && sorted.length > 1 && (
        <dl className="mt-2 grid grid-cols-[max-content_1fr] gap-x-4 text-sm">
          {[sorted[0] as PathLine, sorted[sorted.length - 1] as PathLine].map((line, k) => (
            <div key={line.at} className="contents">
              <dt className="tabular-nums">
                {k ? "Highest" : "Lowest"}: {figure(line.without as number)}
                {line.se != null && (
                  <span className="text-soft">
                    {" "}
                    ({isShare(cell) ? decimals(100 * line.se, 1) : decimals(line.se, 2)})
                  </span>
                )}
              </dt>
              <dd>{line.decisions.map((id) => named.get(id) ?? id).join(", ") || "as published"}</dd>
            </div>
          ))}
        </dl>
      )}
    </section>
  );
}
