import type { Schema } from "../../api/client";
import { decimals } from "../../parts/figures";

type Test = Schema["WholeTest"];

const LEAST_P = 0.0005;

/** The figures of a test in a line, or why there is none. */
export function says({ figures, why }: Test): string {
  if (why) return `No test: ${why}.`;
  const of = new Map(figures.map((f) => [f.symbol, decimals(f.value, f.places)]));
  const p = figures.find((f) => f.symbol === "p")?.value ?? 1;
  const chance = p < LEAST_P ? "p < 0.001" : `p = ${of.get("p")}`;
  if (of.has("F")) return `F = ${of.get("F")} on ${of.get("df1")} and ${of.get("df2")}, ${chance}`;
  const slope = of.has("slope %") ? `${of.get("slope %")} points, ` : of.has("slope") ? `${of.get("slope")}, ` : "";
  return `${slope}t = ${of.get("t")}, ${chance}`;
}

/** Tests of whole tables, one line each; comparisons of columns stand as letters beside the figures. */
export function Tests({ tests }: { tests: readonly Test[] }) {
  if (!tests.length) return null;
  return (
    <table className="figures mt-3 text-sm">
      <caption className="text-left font-semibold font-serif">Tests</caption>
      <tbody>
        {tests.map((t) => (
          <tr key={[t.name, t.stub, t.banner, t.row].join(" ")} className="align-top">
            <td className="pr-4">
              {t.banner}
              <span className="block text-soft text-xs">{t.name}</span>
            </td>
            <td className="pr-4">{t.row || t.stub}</td>
            <td className={t.why ? "text-soft" : "whitespace-nowrap"}>{says(t)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
