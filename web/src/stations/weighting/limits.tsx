import type { Schema } from "../../api/client";
import { useLimits } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Field } from "../../parts/fields";
import { between, count, decimals, percent } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { NumberField } from "../../parts/number-field";
import { Heading, Sub } from "../../parts/panes";
import { Strip } from "./strip";
import { Unmet } from "./unmet";
import { nameOf, type Report, useWeighting } from "./weights";

type Price = Schema["LimitPrice"];

const WIDE = 640;
const TALL = 200;
const LEFT = 52;

/** Effective sample size by upper limit; a point is chosen by pressing it. */
function Curve({ prices, chosen, pick }: { prices: Price[]; chosen?: number | null; pick: (high: number) => void }) {
  const free = prices[0];
  const points = prices.filter((p) => p.high != null).sort((a, b) => (a.high ?? 0) - (b.high ?? 0));
  if (!free || !points.length) return null;
  const highs = points.map((p) => p.high as number);
  const [left, right] = [Math.min(...highs), Math.max(...highs)];
  const sizes = [...points, free].map((p) => p.n_effective);
  const [least, most] = [Math.min(...sizes), Math.max(...sizes)];
  const x = (high: number) => LEFT + ((high - left) / (right - left || 1)) * (WIDE - LEFT - 20);
  const y = (size: number) => 12 + (1 - (size - least) / (most - least || 1)) * (TALL - 44);
  const line = points.map((p, i) => `${i ? "L" : "M"}${x(p.high as number).toFixed(1)},${y(p.n_effective).toFixed(1)}`);
  return (
    <svg
      viewBox={`0 0 ${WIDE} ${TALL}`}
      className="figures w-full max-w-2xl text-xs"
      role="img"
      aria-label={`Effective sample size ${between(count(least), count(most))} for upper limits ${between(decimals(left, 2), decimals(right, 2))}`}
    >
      {(count(least) === count(most) ? [most] : [least, most]).map((size) => (
        <g key={size}>
          <line x1={LEFT} x2={WIDE - 8} y1={y(size)} y2={y(size)} stroke="var(--hair)" />
          <text x={LEFT - 6} y={y(size) + 4} textAnchor="end" fill="var(--soft)">
            {count(size)}
          </text>
        </g>
      ))}
      <path d={line.join("")} fill="none" stroke="var(--rule)" />
      {points.map((p) => {
        const here = p.high === chosen;
        return (
          // biome-ignore lint/a11y/noStaticElementInteractions: the buttons of the list below do the same by keyboard
          <g key={p.high} className="cursor-pointer" onClick={() => pick(p.high as number)}>
            <title>{`Limit ${decimals(p.high as number, 2)}: effective ${count(p.n_effective)}`}</title>
            <circle cx={x(p.high as number)} cy={y(p.n_effective)} r="11" fill="transparent" />
            <circle
              cx={x(p.high as number)}
              cy={y(p.n_effective)}
              r={here ? 6 : 4}
              fill={p.met ? "var(--act)" : "var(--paper)"}
              stroke={p.met ? "var(--act)" : "var(--heed)"}
            />
          </g>
        );
      })}
      <text x={LEFT} y={TALL - 8} fill="var(--soft)">
        {decimals(left, 2)}
      </text>
      <text x={(LEFT + WIDE) / 2} y={TALL - 8} textAnchor="middle" fill="var(--soft)">
        upper limit, times the mean weight
      </text>
      {decimals(left, 2) !== decimals(right, 2) && (
        <text x={WIDE - 8} y={TALL - 8} textAnchor="end" fill="var(--soft)">
          {decimals(right, 2)}
        </text>
      )}
    </svg>
  );
}

function PriceRow({ price, chosen, pick }: { price: Price; chosen: boolean; pick: () => void }) {
  const { moved, high } = price;
  const name = high == null ? "none" : decimals(high, 2);
  return (
    <tr className={`text-right ${chosen ? "bg-wash" : ""}`}>
      <td className="text-left">
        <ActionButton
          id={`limit-${name}`}
          label={high == null ? "No upper limit" : `Upper limit ${name}`}
          look={chosen ? "strong" : "plain"}
          run={pick}
        >
          {name}
        </ActionButton>
      </td>
      <td>{count(price.n_effective)}</td>
      <td>{percent(price.efficiency)}</td>
      <td>{between(decimals(price.min, 2), decimals(price.max, 2))}</td>
      <td>{count(price.at_limits)}</td>
      <td className="pl-6 text-left">
        {!price.met ? (
          <span className="text-heed">▲ margins not met, gap {percent(price.gap, 2)} points</span>
        ) : (
          moved &&
          (Math.abs(moved.within - moved.without) < 0.0005
            ? "none by 0.05 points or more"
            : `${moved.variable}, ${moved.label}: ${percent(moved.without)} → ${percent(moved.within)} %`)
        )}
      </td>
    </tr>
  );
}

/** Limits on the weights, and what each would cost and buy before it is chosen. */
export function LimitsPage({
  at,
  report,
  faults,
}: {
  at: number;
  report?: Report;
  faults: readonly Schema["Fault"][];
}) {
  const { weighting, save } = useWeighting(at);
  return (
    <div>
      <Heading over={`Weighting, ${nameOf(weighting)}`}>Limits on the weights</Heading>
      <Faults faults={faults} />
      {report ? (
        <Limits at={at} report={report} />
      ) : (
        <>
          <p className="text-soft">What limits cost is shown once there are weights.</p>
          {weighting.limits && (
            <ActionButton id="no-limits" label="Remove the limits" run={() => save({ limits: null })} />
          )}
        </>
      )}
    </div>
  );
}

function Limits({ at, report }: { at: number; report: Report }) {
  const { weighting, limit } = useWeighting(at);
  const prices = useLimits(at);
  const low = weighting.limits?.low ?? 0;
  const high = weighting.limits?.high ?? null;
  const least = Math.min(...prices.flatMap((p) => (p.high != null && p.met ? [p.high] : [])));
  return (
    <>
      <p className="max-w-2xl text-soft text-sm">
        Final weights stay between two multiples of their mean{weighting.within?.length ? " in each group" : ""}, as
        near to the base weights as the margins allow. Large weights cost precision; limits can add bias: shares of
        answers that are common among rare cases move.
      </p>
      <div className="flex gap-6">
        <Field label="Lower limit" hint="From 0 to below 1; 0: none.">
          {(p) => <NumberField {...p} value={low} fits={(n) => n >= 0 && n < 1} take={(n) => limit({ low: n ?? 0 })} />}
        </Field>
        <Field label="Upper limit" hint="Above 1. Empty: none.">
          {(p) => <NumberField {...p} value={high} fits={(n) => n > 1} take={(n) => limit({ high: n })} />}
        </Field>
      </div>
      <Unmet report={report} />
      <Strip report={report} />
      {prices.length > 1 ? (
        <>
          <Sub>Effect of the upper limit</Sub>
          <Curve prices={prices} chosen={high} pick={(to) => limit({ high: to })} />
          <table className="mt-2 w-full max-w-4xl text-sm">
            <thead>
              <tr className="border-rule border-y text-right font-serif">
                <th className="py-1 text-left font-semibold">Upper limit</th>
                <th className="font-semibold">Effective sample</th>
                <th className="font-semibold">Efficiency %</th>
                <th className="font-semibold">Weights over mean</th>
                <th className="font-semibold">On a limit</th>
                <th className="pl-6 text-left font-semibold">The share that moves most</th>
              </tr>
            </thead>
            <tbody className="figures">
              {prices.map((p) => (
                <PriceRow
                  key={p.high ?? "none"}
                  price={p}
                  chosen={(p.high ?? null) === high}
                  pick={() => limit({ high: p.high ?? null })}
                />
              ))}
            </tbody>
          </table>
          {Number.isFinite(least) && (
            <p className="mt-1 text-soft text-xs">
              Below about {decimals(least, 2)} no weights meet the margins{low > 0 ? " with this lower limit" : ""}.
              Shares are those of the tables' questions.
            </p>
          )}
        </>
      ) : (
        <p className="my-3 text-soft">
          {prices[0] && !prices[0].met
            ? "With this lower limit, no upper limit meets the margins; reduce it to see what an upper limit costs."
            : report.margins.length
              ? "The weights are as even as the margins allow; there is nothing to limit."
              : "Limits apply to raking; there are no margins yet."}
        </p>
      )}
    </>
  );
}
