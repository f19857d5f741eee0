import type { Schema } from "../../api/client";

type Cell = Schema["Cell"];
type Result = Schema["TableResult"];

/** One answer's share in one column, with its limits. */
export interface Share {
  code: number;
  label: string;
  est: number;
  low?: number | null;
  high?: number | null;
}

/** A column of the table as a row of the picture: everybody first. mean: of a number, or of codes, where it is shown. */
export interface Row {
  label: string;
  group: string;
  codes: number[];
  base: number | null;
  shares: Share[];
  mean: Cell | null;
}

const pathOf = (cell: Cell) => cell.banner.map((b) => `${b.variable}=${b.code}`).join("&");

/** Every column with its shares of one stub variable. */
export function rowsOf(result: Result, variable: string): Row[] {
  const stub = result.stubs.find((s) => s.variable === variable);
  if (!stub) return [];
  const mine = result.cells.filter((c) => c.stub.variable === variable && c.stub.net == null);
  const columns: { label: string; group: string; path: string; codes: number[] }[] = [
    { label: "All", group: "", path: "", codes: [] },
  ];
  for (const banner of result.banners) {
    let paths: { label: string; path: string; codes: number[] }[] = [{ label: "", path: "", codes: [] }];
    banner.variables.forEach((name, i) => {
      paths = paths.flatMap((p) =>
        (banner.categories[i] ?? []).map((c) => ({
          label: p.label ? `${p.label}, ${c.label}` : c.label,
          path: `${p.path ? `${p.path}&` : ""}${name}=${c.code}`,
          codes: [...p.codes, c.code],
        })),
      );
    });
    columns.push(...paths.map((p) => ({ ...p, group: banner.titles.join(" › ") })));
  }
  return columns.map(({ label, group, path, codes }) => {
    const here = mine.filter((c) => pathOf(c) === path);
    const shares = stub.categories.flatMap((category) => {
      const cell = here.find((c) => c.stat === "col_pct" && c.stub.code === category.code);
      return cell
        ? [{ code: category.code, label: category.label, est: cell.est, low: cell.low, high: cell.high }]
        : [];
    });
    const mean = here.find((c) => c.stat === "mean") ?? null;
    const base = here.find((c) => c.base_n != null)?.base_n ?? null;
    return { label, group, codes, base, shares, mean };
  });
}

/** How far a diverging bar begins left of the middle: what lies below the midpoint, and half of what lies on it. */
export function leftOf(shares: readonly Share[], middle: number): number {
  return shares.reduce((sum, s, i) => sum + (i < middle ? s.est : i === middle ? s.est / 2 : 0), 0);
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
  return [Math.floor((low - room) / step) * step, Math.ceil((high + room) / step) * step];
}
