import type { Schema } from "../../api/client";

export type VariableView = Schema["VariableView"];

/** The scale of columns that are ticked or not. */
export const CHOSEN = {
  codes: [
    { code: 0, label: "Not chosen" },
    { code: 1, label: "Chosen" },
  ],
};

/** Spacing (no-break too) and letter case do not tell answers apart. */
export const folded = (text: string) =>
  text
    .replace(/[\s\u00a0\u200b]+/g, " ")
    .trim()
    .toLowerCase();

/** Texts of a variable that are no codes yet, with how many cells hold each. */
export const texts = (view: VariableView) => view.answers.filter((a) => a.code == null);

/** Variables answered mostly with the same words as this one. */
export function alike(view: VariableView, all: readonly VariableView[]): VariableView[] {
  const words = new Set(texts(view).map((a) => folded(a.label)));
  return all.filter((other) => {
    if (other.variable.kind !== view.variable.kind || other === view) return false;
    if (view.variable.kind === "coded") return other.variable.scale === view.variable.scale && other.unplaced > 0;
    const own = texts(other);
    const total = own.reduce((sum, a) => sum + a.cases, 0);
    const shared = own.filter((a) => words.has(folded(a.label))).reduce((sum, a) => sum + a.cases, 0);
    return total > 0 && shared / total >= 0.8;
  });
}

/** The wordings of some variables together, most frequent first, and those given so often that they are answers of their own. The others
 * are too, where they are no other answer misspelt. */
export function frequent(views: readonly VariableView[]): { all: string[]; own: string[] } {
  const cases = new Map<string, number>();
  for (const view of views) for (const a of texts(view)) cases.set(a.label, (cases.get(a.label) ?? 0) + a.cases);
  const sorted = [...cases].sort((a, b) => b[1] - a[1]);
  const total = sorted.reduce((sum, [, n]) => sum + n, 0);
  const own: string[] = [];
  for (const [text, n] of sorted)
    if (n >= total / 200 && !own.some((there) => folded(there) === folded(text))) own.push(text);
  return { all: sorted.map(([text]) => text), own };
}
