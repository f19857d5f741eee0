import type { Schema } from "../../../api/client";

type Cell = Schema["Cell"];
type Result = Schema["TableResult"];

/** An answer that a picture shows. */
export interface Answer {
  code: number;
  label: string;
}

/** One answer's share in one column, with its limits. */
export interface Share extends Answer {
  est: number;
  low?: number | null;
  high?: number | null;
}

/** Quantiles of a column: the box from quarter to three quarters, the whiskers as far as they were asked for. */
export interface Box {
  low: number;
  quarter: number;
  median: number;
  threeQuarters: number;
  high: number;
}

/** The quantiles that boxes are drawn from: whiskers to the smallest and largest, or to the outer twentieths. */
export const BOX_STATS = ["q0", "q25", "median", "q75", "q100"] as const;

/** A column of the table as a row of the picture: everybody first. mean: of a number, or of codes, where it is shown. */
export interface Row {
  label: string;
  group: string;
  codes: (number | string)[];
  base: number | null;
  shares: Share[];
  mean: Cell | null;
  box: Box | null;
}

const OTHER_BASES = ["row_pct", "total_pct", "response_pct"];

const pathOf = (cell: Cell) => cell.banner.map((b) => `${b.variable}=${b.net ?? b.code}`).join("&");

/** The answers of a stub variable as they are shown, without nets. */
export function answersOf(result: Result, variable: string): Answer[] {
  const stub = result.stubs.find((s) => s.variable === variable);
  if (!stub) return [];
  const shown = stub.shown ?? stub.categories.map((c) => ({ step: c.code, label: c.label }));
  return shown.flatMap((s) => (typeof s.step === "number" ? [{ code: s.step, label: s.label }] : []));
}

function boxOf(here: readonly Cell[]): Box | null {
  const at = (...stats: string[]) => stats.map((s) => here.find((c) => c.stat === s)?.est).find((x) => x != null);
  const [low, quarter, median, threeQuarters, high] = [
    at("q0", "q5", "q10"),
    at("q25"),
    at("median"),
    at("q75"),
    at("q100", "q95", "q90"),
  ];
  if (low == null || quarter == null || median == null || threeQuarters == null || high == null) return null;
  return { low, quarter, median, threeQuarters, high };
}

/** The columns of a banner entry as they are shown, a label for each level of a nest; nets: with those that are nets. */
function columnsOf(banner: Result["banners"][number], nets: boolean) {
  let columns: { label: string; path: string; codes: (number | string)[] }[] = [{ label: "", path: "", codes: [] }];
  banner.variables.forEach((name, i) => {
    const level = banner.shown?.[i] ?? (banner.categories[i] ?? []).map((c) => ({ step: c.code, label: c.label }));
    const steps = level.filter((c) => nets || typeof c.step === "number");
    columns = columns.flatMap((p) =>
      steps.map((c) => ({
        label: p.label ? `${p.label}, ${c.label}` : c.label,
        path: `${p.path ? `${p.path}&` : ""}${name}=${c.step}`,
        codes: [...p.codes, c.step],
      })),
    );
  });
  return columns;
}

/** Every column with its shares of one stub variable. */
export function rowsOf(result: Result, variable: string, total = true): Row[] {
  if (!result.stubs.some((s) => s.variable === variable)) return [];
  const answers = answersOf(result, variable);
  const mine = result.cells.filter((c) => c.stub.variable === variable && c.stub.net == null);
  const columns: { label: string; group: string; path: string; codes: (number | string)[] }[] =
    total || !result.banners.length ? [{ label: "All", group: "", path: "", codes: [] }] : [];
  for (const banner of result.banners) {
    columns.push(...columnsOf(banner, true).map((c) => ({ ...c, group: banner.titles.join(" › ") })));
  }
  return columns.map(({ label, group, path, codes }) => {
    const here = mine.filter((c) => pathOf(c) === path);
    const shares = answers.flatMap((answer) => {
      const cell = here.find((c) => c.stat === "col_pct" && c.stub.code === answer.code);
      return cell ? [{ ...answer, est: cell.est, low: cell.low, high: cell.high }] : [];
    });
    const mean = here.find((c) => c.stat === "mean") ?? null;
    // The base of what is drawn: row and total per cents, and per cents of responses, are of something else.
    const base = here.find((c) => c.base_n != null && !OTHER_BASES.includes(c.stat))?.base_n ?? null;
    return { label, group, codes, base, shares, mean, box: boxOf(here) };
  });
}

/** Who gives each answer: of one banner entry, a row for each answer of a stub variable, its shares those of the entry's columns
 * (row %). Nets of columns are left out: they would count cases twice. */
export function whoGives(result: Result, variable: string, entry: number): { rows: Row[]; columns: Answer[] } {
  const banner = result.banners[entry];
  const columns = banner ? columnsOf(banner, false).map(({ label, path }, code) => ({ code, label, path })) : [];
  const mine = result.cells.filter((c) => c.stub.variable === variable && c.stat === "row_pct" && c.stub.net == null);
  const rows = answersOf(result, variable).flatMap((answer) => {
    const cells = mine.filter((c) => c.stub.code === answer.code);
    const shares = columns.flatMap(({ path, ...column }) => {
      const cell = cells.find((c) => pathOf(c) === path);
      return cell ? [{ ...column, est: cell.est, low: cell.low, high: cell.high }] : [];
    });
    const base = cells.find((c) => c.base_n != null)?.base_n ?? null;
    return shares.length
      ? [{ label: answer.label, group: "", codes: [answer.code], base, shares, mean: null, box: null }]
      : [];
  });
  return { rows, columns };
}

/** How far a diverging bar begins left of the middle: what lies below the midpoint, and half of what lies on it. middle: a place
 * among the answers. */
export function leftOf(shares: readonly Share[], answers: readonly Answer[], middle: number): number {
  return shares.reduce((sum, s) => {
    const i = answers.findIndex((a) => a.code === s.code);
    return sum + (i < middle ? s.est : i === middle ? s.est / 2 : 0);
  }, 0);
}

/** The place where an ordered scale is divided: that of the midpoint; a half between two answers where there is none. */
export function middleOf(codes: readonly number[], midpoint: number | null | undefined): number {
  const at = midpoint == null ? -1 : codes.indexOf(midpoint);
  if (at >= 0) return at;
  return codes.length % 2 ? (codes.length - 1) / 2 : codes.length / 2 - 0.5;
}

/** A span that figures lie in, a little wider, ending on round numbers. */
export function spanOf(values: readonly number[]): [number, number] {
  const low = Math.min(...values);
  const high = Math.max(...values);
  const room = (high - low || Math.abs(high) || 1) * 0.06;
  const step = 10 ** Math.floor(Math.log10(Math.max(high - low, 1e-9) || 1));
  const from = Math.floor((low - room) / step) * step;
  return [low >= 0 ? Math.max(from, 0) : from, Math.ceil((high + room) / step) * step];
}
