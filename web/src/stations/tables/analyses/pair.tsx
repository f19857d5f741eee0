import { useQuery } from "@tanstack/react-query";
import type { Schema } from "../../../api/client";
import { pairQuery, useSaved } from "../../../api/queries";
import { count, decimals, percent } from "../../../parts/figures";

type Pair = Schema["CorrelationsResult"]["pairs"][number];
type Joint = Schema["Joint"];

const SIDE = 26;

/** Two variables as they were answered: a square for each place, as large as its share of everybody. */
function Squares({ joint }: { joint: Joint }) {
  const { across, down, shares } = joint;
  const top = Math.max(...shares.flat(), 1e-9);
  const [columns, rows] = [across.labels.length, down.labels.length];
  return (
    <table className="mt-2 border-separate border-spacing-0 text-xs">
      <caption className="sr-only">
        {across.title} across, {down.title} down
      </caption>
      <tbody>
        {[...shares.keys()].reverse().map((r) => (
          <tr key={down.labels[r]}>
            <th scope="row" className="max-w-56 truncate pr-2 text-right font-normal" title={down.labels[r]}>
              {down.labels[r]}
            </th>
            {across.labels.map((label, c) => {
              const share = shares[r]?.[c] ?? 0;
              const side = SIDE * Math.sqrt(share / top);
              return (
                <td key={label} className="border-hair border p-0" title={`${percent(share)} %`}>
                  <span className="sr-only">{percent(share)} %</span>
                  <svg width={SIDE + 4} height={SIDE + 4} aria-hidden className="block">
                    <rect
                      x={(SIDE + 4 - side) / 2}
                      y={(SIDE + 4 - side) / 2}
                      width={side}
                      height={side}
                      fill="var(--act)"
                    />
                  </svg>
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
      <tfoot>
        <tr>
          <td />
          {across.labels.map((label, c) => (
            <th
              key={label}
              scope="col"
              title={label}
              className={`max-w-8 font-normal ${rows && columns > 8 ? "text-[10px]" : ""}`}
            >
              <span className="inline-block max-h-28 truncate [writing-mode:vertical-rl]">{across.labels[c]}</span>
            </th>
          ))}
        </tr>
      </tfoot>
    </table>
  );
}

/** What is behind a correlation: its interval, its test, and the answers themselves. */
export function BehindPair({ pair, analysis }: { pair: Pair; analysis: string }) {
  const study = useSaved();
  const { data } = useQuery(pairQuery(study.id, study.edition, analysis, pair.a, pair.b));
  const interval =
    pair.low == null || pair.high == null ? "" : ` (${decimals(pair.low, 3)} to ${decimals(pair.high, 3)})`;
  const test = pair.t == null ? "" : `, t = ${decimals(pair.t, 2)}`;
  const p = pair.p == null ? "" : `, p ${pair.p < 0.001 ? "< 0.001" : `= ${decimals(pair.p, 3)}`}`;
  return (
    <section aria-label="Behind the correlation" className="my-2 max-w-4xl border-act border-l-4 bg-leaf px-3 py-2">
      <p role="status" className="text-sm">
        <span className="font-semibold">{pair.a}</span> with <span className="font-semibold">{pair.b}</span>:{" "}
        {pair.est == null
          ? "no correlation, since one of the two does not vary"
          : `r = ${decimals(pair.est, 3)}${interval}${test}${p}`}
        , of {count(pair.n)} cases.
      </p>
      {data ? (
        <>
          <Squares joint={data} />
          <p className="text-soft text-xs">
            Across: {data.across.title} Down: {data.down.title} A square's area is its share of {count(data.n)} cases,
            weighted.
          </p>
        </>
      ) : (
        data === null && (
          <p className="text-soft text-xs">The answers themselves are not shown while small groups are suppressed.</p>
        )
      )}
    </section>
  );
}
