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

/** What stands beside a figure in a column, a line each: (0.8), 32.2 to 35.2, rse 4.1 %, deff 1.20, effective 1,833. */
export function saysBeside(lines: readonly Line[], column: number): string[] {
  const said: string[] = [];
  for (const line of lines) {
    const value = line.values[column];
    const text = printed(value, shapeAt(line, column));
    if (line.figure.endsWith(" from")) {
      const to = lines.find((l) => l.figure === line.figure.replace(/ from$/, " to"));
      const high = to?.values[column];
      if (value != null || high != null) said.push(`${text} to ${printed(high, shapeAt(line, column))}`);
    } else if (value != null && !line.figure.endsWith(" to")) {
      const short = line.figure.startsWith("Relative")
        ? `rse ${text} %`
        : line.figure.startsWith("Design")
          ? `deff ${text}`
          : line.figure.startsWith("Effective")
            ? `eff. ${text}`
            : `(${text})`;
      said.push(short);
    }
  }
  if (!lines.some((l) => l.figure.endsWith(" from"))) {
    const to = lines.find((l) => l.figure.endsWith(" to"));
    if (to?.values[column] != null) said.push(`– to ${printed(to.values[column], shapeAt(to, column))}`);
  }
  return said;
}
