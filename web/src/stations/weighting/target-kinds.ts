/** What a target may be said as. */
export const KINDS = [
  ["counts", "counts"],
  ["percent", "per cent"],
  ["shares", "proportions"],
] as const;
export type TargetKind = (typeof KINDS)[number][0];

export const OF_NUMBERS = [
  ["means", "means"],
  ["totals", "totals in the population"],
] as const;
export type NumberKind = (typeof OF_NUMBERS)[number][0];
