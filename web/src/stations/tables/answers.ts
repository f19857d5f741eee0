import type { Schema } from "../../api/client";

/** The answers of a question that a table can show: its options, or the codes of its scale. */
export function answersOf(codebook: Schema["CodebookView"], name: string): { code: number; label: string }[] {
  const view = codebook.variables.find((v) => v.variable.name === name);
  const options = view?.variable.options ?? [];
  if (options.length) return options.map(({ code, label }) => ({ code, label }));
  return (view?.answers ?? [])
    .filter((a) => a.code != null && a.sort === "answer")
    .map((a) => ({ code: a.code as number, label: a.label }));
}
