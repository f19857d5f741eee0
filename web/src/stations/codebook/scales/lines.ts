import type { Schema, Step } from "../../../api/client";

type Code = Schema["Code"];

const CODED = /^\s*(-?\d+)\s*(?:[=:;.)\t]|\s|$)\s*(.*)$/;

/** Codes and labels from lines: "1 Agree", "1 = Agree", "1;Agree", or labels alone, which are then numbered from `first`. */
export function codesFrom(text: string, first = 1, by = 1): Code[] {
  const lines = text
    .split(/\r?\n/)
    .map((line) => line.trim())
    .filter(Boolean);
  const coded = lines.map((line) => CODED.exec(line));
  if (lines.length && coded.every((match) => match?.[2]))
    return coded.map((match) => ({ code: Number(match?.[1]), label: (match?.[2] ?? "").trim() }));
  return lines.map((label, i) => ({ code: first + by * i, label }));
}

/** A scale's codes as lines. */
export const linesOf = (codes: readonly Code[]) => codes.map((c) => `${c.code} ${c.label}`).join("\n");

/** What keeps codes from being a scale, in a sentence. */
export function wrongWith(codes: readonly Code[], missing: readonly Code[]): string | undefined {
  if (!codes.length) return "An answer scale has at least one answer.";
  const all = [...codes, ...missing];
  const twice = <T>(values: T[]) => values.find((v, i) => values.indexOf(v) < i);
  const code = twice(all.map((c) => c.code));
  if (code != null) return `Code ${code} appears twice.`;
  const label = twice(all.map((c) => c.label));
  if (label != null) return `“${label}” occurs twice.`;
  return undefined;
}

/** Codes that would say something else than before: their labels before and after. */
export function relabelled(
  before: readonly Code[],
  after: readonly Code[],
): { code: number; from: string; to: string }[] {
  const labels = new Map(after.map((c) => [c.code, c.label]));
  return before.flatMap((c) => {
    const to = labels.get(c.code);
    return to != null && to !== c.label ? [{ code: c.code, from: c.label, to }] : [];
  });
}

/** Steps that code words by a scale keep placing the labels that it had before. */
export function stillPlacing<S extends Step>(
  steps: readonly S[],
  scale: string,
  changes: readonly { code: number; from: string }[],
): S[] {
  return steps.map((step) =>
    step.do === "code" && step.scale === scale
      ? { ...step, answers: { ...Object.fromEntries(changes.map((c) => [c.from, c.code])), ...step.answers } }
      : step,
  );
}
