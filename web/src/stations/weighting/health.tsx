import type { Schema } from "../../api/client";
import { useChange } from "../../api/queries";
import { Choice, Field } from "../../parts/fields";
import { count, decimals, percent, plural } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { Heading, Sub } from "../../parts/panes";
import { FitPicture } from "./fit";
import type { Weighting } from "./station";

function Histogram({ bars }: { bars: Schema["WeightingReport"]["histogram"] }) {
  const top = Math.max(...bars.map((b) => b.cases), 1);
  return (
    <figure className="max-w-2xl">
      <div
        className="flex h-28 items-end gap-0.5 border-rule border-b"
        role="img"
        aria-label="Distribution of the weights"
      >
        {bars.map((b) => (
          <span
            key={b.low}
            className="grow bg-act"
            style={{ height: `${(100 * b.cases) / top}%` }}
            title={`${plural(b.cases, "case")} from ${decimals(b.low, 2)} to ${decimals(b.high, 2)}`}
          />
        ))}
      </div>
      <figcaption className="figures flex justify-between text-soft text-sm">
        <span>{decimals(bars[0]?.low ?? 0, 2)}</span>
        <span>weight</span>
        <span>{decimals(bars.at(-1)?.high ?? 0, 2)}</span>
      </figcaption>
    </figure>
  );
}

/** Base weight and scale, and how the weights came out. */
export function Health({
  weighting,
  codebook,
  report,
  faults,
}: {
  weighting: Weighting;
  codebook: Schema["CodebookView"];
  report?: Schema["WeightingReport"];
  faults: readonly Schema["Fault"][];
}) {
  const { change } = useChange();
  const save = (parts: Partial<Weighting>) => change.mutate({ weightings: [{ ...weighting, ...parts }] });
  const numbers = codebook.variables.filter((v) => v.variable.kind === "number").map((v) => v.variable.name);
  const counted = (weighting.margins ?? []).some((m) => m.as === "counts");
  const scale = typeof weighting.scale_to === "number" ? String(weighting.scale_to) : (weighting.scale_to ?? "cases");
  return (
    <div>
      <Heading over="Weighting">Base weight and result</Heading>
      <div className="grid max-w-2xl grid-cols-2 gap-4">
        <Field label="Base weight">
          {(p) => (
            <Choice
              {...p}
              value={typeof weighting.base === "string" ? weighting.base : ""}
              disabled={change.isPending}
              onChange={(e) => save({ base: e.target.value || null })}
              options={[["", "none: every case starts at 1"], ...numbers.map((n) => [n, n] as const)]}
            />
          )}
        </Field>
        <Field
          label="Final weights add up to"
          hint={counted ? undefined : "To weight to the population, give a margin in counts."}
        >
          {(p) => (
            <Choice
              {...p}
              value={scale}
              disabled={change.isPending}
              onChange={(e) => save({ scale_to: e.target.value as "cases" | "population" })}
              options={[
                ["cases", "the number of cases"],
                ...(counted ? ([["population", "the population"]] as const) : []),
                ...(typeof weighting.scale_to === "number" ? ([[scale, count(weighting.scale_to)]] as const) : []),
              ]}
            />
          )}
        </Field>
      </div>
      <Faults faults={faults} />
      {report && (
        <>
          <dl className="figures my-4 grid max-w-3xl grid-cols-4 gap-x-8 gap-y-2">
            {(
              [
                [
                  "Cycles",
                  count(report.cycles),
                  report.converged ? "margins met" : `gap ${report.max_gap.toExponential(1)}`,
                ],
                ["Effective sample size", count(report.n_effective), `of ${count(report.n)}`],
                ["Efficiency", `${percent(report.efficiency)} %`, `design effect ${decimals(report.deff_weights, 2)}`],
                [
                  "Weights",
                  `${decimals(report.min, 2)} to ${decimals(report.max, 2)}`,
                  `ratio ${decimals(report.max / report.min, 1)}`,
                ],
              ] as const
            ).map(([name, value, beside]) => (
              <div key={name}>
                <dt className="text-soft text-sm">{name}</dt>
                <dd className="font-serif text-xl">{value}</dd>
                <dd className="text-soft text-sm">{beside}</dd>
              </div>
            ))}
          </dl>
          <Sub>Distribution of the weights</Sub>
          <Histogram bars={report.histogram} />
          {report.margins.map((margin) => (
            <section key={margin.by.join("×")}>
              <Sub>{margin.by.join(" × ")}</Sub>
              <FitPicture rows={margin.rows} />
            </section>
          ))}
        </>
      )}
      {!report && !faults.length && (
        <p className="mt-4 text-soft">There are no weights yet. Begin with a new margin, on the left.</p>
      )}
    </div>
  );
}
