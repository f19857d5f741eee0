import type { Schema } from "../../api/client";

type Result = Schema["TableResult"];
type Step = number | string;

/** What a row is called: its answer or net; the question itself where a figure is of all its answers. */
export function rowLabel(result: Result, stub: Schema["StubKey"]): string {
  const heading = result.stubs.find((s) => s.variable === stub.variable);
  const step = stub.net ?? stub.code;
  if (step == null) return heading?.title ?? stub.variable;
  return heading?.shown?.find((s) => s.step === step)?.label ?? String(step);
}

/** What a column is called, a label for each level of its nest; everybody where there is none. */
export function columnLabel(result: Result, variables: readonly string[], path: readonly Step[]): string {
  const banner = result.banners.find((b) => JSON.stringify(b.variables) === JSON.stringify(variables));
  return (
    path.map((step, k) => banner?.shown?.[k]?.find((s) => s.step === step)?.label ?? String(step)).join(", ") || "All"
  );
}
