import type { Schema } from "../../api/client";

export interface Category {
  at: Record<string, number>;
  label: string;
}

/** Every combination of the categories of some coded variables, in the order of their scales. */
export function categoriesOf(by: readonly string[], codebook: Schema["CodebookView"]): Category[] {
  let combined: Category[] = [{ at: {}, label: "" }];
  for (const name of by) {
    const view = codebook.variables.find((v) => v.variable.name === name);
    const answers = view?.answers.filter((a) => a.code != null && a.sort !== "missing") ?? [];
    combined = combined.flatMap((c) =>
      answers.map((a) => ({
        at: { ...c.at, [name]: a.code as number },
        label: c.label ? `${c.label}, ${a.label}` : a.label,
      })),
    );
  }
  return combined;
}

export const same = (a: Record<string, number | null>, b: Record<string, number | null>) =>
  Object.keys(a).length === Object.keys(b).length && Object.keys(a).every((k) => a[k] === b[k]);

/** What targets of a kind must sum to, or null where any sum will do. */
export const wholeOf = (as: string | undefined) => (as === "counts" ? null : as === "percent" ? 100 : 1);
