import type { Request } from "./plan";

export type Stat = NonNullable<Request["show"]>[number];

/** Figures that are shown by ticking them, in the order they stand in; any other quantile may be asked for in the plan as a file. */
export const STATS: readonly (readonly [Stat, string])[] = [
  ["n", "cases"],
  ["count", "weighted count"],
  ["col_pct", "column %"],
  ["row_pct", "row %"],
  ["total_pct", "total %"],
  ["response_pct", "% of responses"],
  ["mean", "mean"],
  ["sd", "sd"],
  ["median", "median"],
  ["q25", "lower quartile"],
  ["q75", "upper quartile"],
  ["mode", "mode"],
  ["skewness", "skewness"],
  ["kurtosis", "kurtosis"],
];

/** What a figure is called. */
export const nameOf = (stat: string) => STATS.find(([s]) => s === stat)?.[1] ?? `quantile ${stat.slice(1)} %`;
