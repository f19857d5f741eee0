import type { Schema } from "../../api/client";
import { decimals } from "../../parts/figures";
import { SIGNED } from "./figures";

type Test = Schema["TableResult"]["tests"][number];

const NAMES = {
  independence: "Independence: Rao and Scott, second order",
  wald: "The same by the adjusted Wald test",
  trend: "Trend over its order: slope per code",
} as const;

const chance = (p: number) => (p < 0.001 ? "p < 0.001" : `p = ${decimals(p, 3)}`);

/** A test in a line; comparisons of columns have none. */
function says(test: Test): string {
  if (test.kind === "trend") {
    const share = test.stub.code != null || test.stub.net != null;
    const unit = share ? " points" : "";
    const of = (x: number) => decimals(share ? 100 * x : x, 2);
    const limits = test.low != null && test.high != null ? ` (${of(test.low)} to ${of(test.high)})` : "";
    return `${of(test.slope)}${unit}${limits}, t = ${decimals(test.t, 2)}, ${chance(test.p)}`;
  }
  if (!("f" in test)) return "";
  return `F = ${decimals(test.f, 2)} on ${decimals(test.df1, 2)} and ${decimals(test.df2, 1)}, ${chance(test.p)}`;
}

/** Tests of whole tables, one line each; comparisons of columns stand as letters beside the figures. */
export function Tests({ result }: { result: Schema["TableResult"] }) {
  const whole = result.tests.filter((t) => !SIGNED.includes(t.kind ?? ""));
  if (!whole.length) return null;
  const title = (variables: readonly string[]) =>
    result.banners.find((b) => b.variables.join() === variables.join())?.titles.join(" › ") ?? variables.join(" › ");
  const row = (stub: Test["stub"]) => {
    if (typeof stub === "string") return result.stubs.find((s) => s.variable === stub)?.title ?? stub;
    const heading = result.stubs.find((s) => s.variable === stub.variable);
    if (stub.net != null) return String(stub.net);
    return stub.code == null
      ? "mean"
      : (heading?.categories.find((c) => c.code === stub.code)?.label ?? String(stub.code));
  };
  return (
    <table className="figures mt-3 text-sm">
      <caption className="text-left font-semibold font-serif">Tests</caption>
      <tbody>
        {whole.map((t) => (
          <tr key={`${t.kind} ${JSON.stringify(t.stub)} ${t.banner.join()}`} className="align-top">
            <td className="pr-4">
              {title(t.banner)}
              <span className="block text-soft text-xs">{NAMES[t.kind as keyof typeof NAMES]}</span>
            </td>
            <td className="pr-4">{row(t.stub)}</td>
            <td className="whitespace-nowrap">{says(t)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
