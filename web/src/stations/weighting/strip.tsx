import { between, count, decimals, percent } from "../../parts/figures";
import type { Report } from "./weights";

type Fact = readonly [name: string, value: string, beside: string];

function factsOf(report: Report): Fact[] {
  const held = report.at_limits != null ? `${count(report.at_limits)} on a limit` : "";
  return [
    ["Effective sample size", count(report.n_effective), `of ${count(report.n)}`],
    ["Efficiency", `${percent(report.efficiency)} %`, `design effect ${decimals(report.deff_weights, 2)}`],
    ["Weights", between(decimals(report.min, 2), decimals(report.max, 2)), held],
    ["Largest ÷ smallest", decimals(report.max / report.min, 1), ""],
    [
      "Cycles",
      count(report.cycles),
      report.converged ? "margins met" : `largest gap ${percent(report.max_gap, 2)} points`,
    ],
  ];
}

/** The weight diagnostics in a line. */
export function Strip({ report }: { report: Report }) {
  return (
    <dl className="figures my-3 flex max-w-4xl flex-wrap gap-x-8 gap-y-2 border-hair border-y py-2">
      {factsOf(report).map(([name, value, beside]) => (
        <div key={name}>
          <dt className="text-soft text-xs">{name}</dt>
          <dd className="font-serif text-lg leading-tight">{value}</dd>
          <dd className="text-soft text-xs">{beside}</dd>
        </div>
      ))}
    </dl>
  );
}
