import type { Schema } from "../../api/client";
import { count, decimals } from "../../parts/figures";

type Line = Schema["Line"];

/** A figure as it is printed: per cent with one decimal, numbers with two, counts whole. */
export function printed(value: number | null | undefined, shape: string) {
  if (value == null) return "–";
  if (shape === "share") return decimals(100 * value, 1);
  return shape === "whole" ? count(value) : decimals(value, 2);
}

const DECIMALS: Record<string, number> = { share: 1, whole: 0 };

/** How many decimals a figure of this shape is printed with. */
const decimalsOf = (shape: string) => DECIMALS[shape] ?? 2;

export const shapeAt = (line: Line, column: number) => line.shapes?.[column] ?? line.shape;

/** How many decimals the figures of each column have at most: room that all its figures leave, so that their points stand in a line. */
export function decimalsByColumn(lines: readonly Line[], columns: number): number[] {
  const main = lines.filter((l) => l.strong);
  return Array.from({ length: columns }, (_, c) =>
    Math.max(0, ...main.filter((l) => l.values[c] != null).map((l) => decimalsOf(shapeAt(l, c)))),
  );
}

/** The decimals that a figure of this shape lacks: what would follow its last digit. */
export function lacking(shape: string, most: number): string {
  const own = decimalsOf(shape);
  return most > own ? (own ? "" : ".") + "0".repeat(most - own) : "";
}

interface Group {
  main: Line;
  beside: Line[];
}

/** Lines of one figure belong together: the estimate, and what stands beside it. */
export function grouped(lines: readonly Line[]): Group[] {
  const groups: Group[] = [];
  for (const line of lines) {
    const last = groups[groups.length - 1];
    if (line.strong || !last) groups.push({ main: line, beside: [] });
    else last.beside.push(line);
  }
  return groups;
}

const SHORT: Record<Line["kind"], (text: string) => string> = {
  estimate: (text) => text,
  se: (text) => `(${text})`,
  low: (text) => text,
  high: (text) => text,
  rse: (text) => `rse ${text} %`,
  deff: (text) => `deff ${text}`,
  effective: (text) => `eff. ${text}`,
};

/** What stands beside a figure in a column, a line each: (0.8), 32.2 to 35.2, rse 4.1 %, deff 1.20, effective 1,833. */
export function saysBeside(lines: readonly Line[], column: number): string[] {
  const said: string[] = [];
  const of = (kind: Line["kind"]) => lines.find((l) => l.kind === kind);
  const text = (line: Line | undefined) => (line ? printed(line.values[column], shapeAt(line, column)) : "–");
  const there = (line: Line | undefined) => line?.values[column] != null;
  for (const line of lines) {
    const [low, high] = [of("low"), of("high")];
    if (line.kind === "low" || (line.kind === "high" && !low)) {
      if (there(low) || there(high)) said.push(`${text(low)} to ${text(high)}`);
    } else if (line.kind !== "high" && there(line)) said.push(SHORT[line.kind](text(line)));
  }
  return said;
}
