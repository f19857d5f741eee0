import { useState } from "react";
import type { Schema } from "../../api/client";
import { useComparison } from "../../api/queries";
import { count, decimals, percent } from "../../parts/figures";
import { Heading, Sub } from "../../parts/panes";
import { PickMany } from "../../parts/pick-many";

type Summary = Schema["WeightSummary"];

const FACTS: readonly (readonly [name: string, of: (w: Summary) => string])[] = [
  ["Cases with a weight", (w) => count(w.n)],
  ["Effective sample size", (w) => count(w.n_effective)],
  ["Efficiency %", (w) => percent(w.efficiency)],
  ["Smallest over the mean", (w) => decimals(w.min, 2)],
  ["Largest over the mean", (w) => decimals(w.max, 2)],
  ["Sum of the weights", (w) => count(w.sum)],
];

function Head({ first, weights }: { first: string; weights: readonly Summary[] }) {
  return (
    <thead>
      <tr className="border-rule border-y text-right font-serif">
        <th className="py-1 pr-4 text-left font-semibold">{first}</th>
        {weights.map((w) => (
          <th key={w.name ?? ""} className="w-36 pl-4 font-semibold">
            {w.name ?? "unweighted"}
          </th>
        ))}
      </tr>
    </thead>
  );
}

/** Weights side by side: their health, how near each comes to every margin, what they make of answers. */
export function ComparePage({ codebook }: { codebook: Schema["CodebookView"] }) {
  const [chosen, setChosen] = useState<string[]>([]);
  const { weights, margins, rows } = useComparison(chosen);
  const names = codebook.variables
    .filter((v) => v.variable.kind === "coded" || v.variable.kind === "number")
    .map((v) => v.variable.name);
  const shown = [...new Set(rows.map((r) => r.variable))];
  return (
    <div>
      <Heading over="Weights">Compare weights</Heading>
      <table className="text-sm">
        <Head first="Weight" weights={weights} />
        <tbody className="figures">
          {FACTS.map(([name, of]) => (
            <tr key={name} className="text-right">
              <td className="pr-4 text-left">{name}</td>
              {weights.map((w) => (
                <td key={w.name ?? ""} className="pl-4">
                  {of(w)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {margins.length > 0 && (
        <>
          <Sub>Largest gap to each margin, in points</Sub>
          <table className="text-sm">
            <Head first="Margin" weights={weights} />
            <tbody className="figures">
              {margins.map((m) => (
                <tr key={m.weightings.join() + m.by.join()} className="text-right align-top">
                  <td className="pr-4 text-left">
                    {m.by.join(" × ")} <span className="text-soft">of {m.weightings.join(", ")}</span>
                  </td>
                  {m.gaps.map((gap, i) => (
                    <td key={weights[i]?.name ?? ""} className="pl-4">
                      {gap < 5e-7 ? "met" : decimals(100 * gap, 2)}
                      {gap >= 5e-7 && <span className="block text-soft text-xs">{m.labels[i]}</span>}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      <Sub>Effect on estimates</Sub>
      <PickMany
        id="compared"
        label="Questions"
        chosen={shown}
        options={names}
        change={(to) => setChosen(to.length ? to : [])}
        hint="Shares of those who answered, in per cent; means of numbers."
      />
      <table className="text-sm">
        <Head first="Answer" weights={weights} />
        <tbody className="figures">
          {rows.map((row, i) => (
            <tr key={`${row.variable} ${row.code}`} className="text-right">
              <td className="max-w-md pr-4 text-left">
                {rows[i - 1]?.variable !== row.variable && (
                  <span className="block pt-1 font-serif italic">{row.title}</span>
                )}
                <span className="pl-4">{row.label}</span>
              </td>
              {row.estimates.map((e, k) => (
                <td key={weights[k]?.name ?? ""} className="pl-4 align-bottom">
                  {e == null ? "–" : row.code == null ? decimals(e, 2) : percent(e)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
