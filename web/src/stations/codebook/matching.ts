import type { Schema } from "../../api/client";

export type VariableView = Schema["VariableView"];

/** A wording found among the answers, and what it is taken to mean. */
export interface Wording {
  text: string;
  cases: number;
  /** "own": an answer of the scale; "missing": means no answer; "flag": stays a finding; else the answer it equals. */
  means: "own" | "missing" | "flag" | { same: string };
  why?: string;
}

/** Spacing (no-break too) and letter case do not tell answers apart. */
export const folded = (text: string) =>
  text
    .replace(/[\s\u00a0\u200b]+/g, " ")
    .trim()
    .toLowerCase();

/** Edits between two words, up to a limit. */
export function distance(a: string, b: string, limit = 3): number {
  if (Math.abs(a.length - b.length) > limit) return limit + 1;
  let row = Array.from({ length: b.length + 1 }, (_, i) => i);
  for (let i = 1; i <= a.length; i++) {
    const next = [i];
    for (let j = 1; j <= b.length; j++) {
      const cost = a[i - 1] === b[j - 1] ? 0 : 1;
      next[j] = Math.min((row[j] ?? 0) + 1, (next[j - 1] ?? 0) + 1, (row[j - 1] ?? 0) + cost);
    }
    row = next;
  }
  return row[b.length] ?? limit + 1;
}

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
    return total > 0 && other.distinct <= 60 && shared / total >= 0.8;
  });
}

/** The wordings of some variables together, each with a proposal of what it means. */
export function wordings(views: readonly VariableView[], fixed: readonly string[]): Wording[] {
  const cases = new Map<string, number>();
  for (const view of views) for (const a of texts(view)) cases.set(a.label, (cases.get(a.label) ?? 0) + a.cases);
  const found = [...cases].map(([text, n]) => ({ text, cases: n })).sort((a, b) => b.cases - a.cases);
  const owns: string[] = [...fixed];
  const total = found.reduce((sum, w) => sum + w.cases, 0);
  return found
    .filter((w) => !fixed.includes(w.text))
    .map((w) => {
      const twin = owns.find((own) => folded(own) === folded(w.text));
      if (twin) return { ...w, means: { same: twin }, why: "spacing or letter case" };
      const near = owns
        .map((own) => [distance(folded(own), folded(w.text)), own] as const)
        .sort((a, b) => a[0] - b[0])[0];
      if (near && near[0] <= 2 && w.cases <= total / 100)
        return { ...w, means: { same: near[1] }, why: "likely a misspelling" };
      if (fixed.length || w.cases < total / 200) return { ...w, means: "flag" as const, why: "fits no answer so far" };
      owns.push(w.text);
      return { ...w, means: "own" as const };
    });
}
