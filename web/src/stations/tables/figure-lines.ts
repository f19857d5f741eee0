import type { Schema } from "../../api/client";
import { count, decimals } from "../../parts/figures";

type Line = Schema["Line"];

/** A figure as it is printed: per cent with one decimal, numbers with two, counts whole. */
export function printed(value: number | null | undefined, shape: string) {
  if (value == null) return "–";
  if (shape === "share") return decimals(100 * value, 1);
  return shape === "whole" ? count(value) : decimals(value, 2);
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
    const text = printed(value, line.shapes?.[column] ?? line.shape);
    if (line.figure.endsWith(" from")) {
      const to = lines.find((l) => l.figure === line.figure.replace(/ from$/, " to"));
      const high = to?.values[column];
      if (value != null || high != null) said.push(`${text} to ${printed(high, line.shapes?.[column] ?? line.shape)}`);
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
    if (to?.values[column] != null) said.push(`– to ${printed(to.values[column], to.shapes?.[column] ?? to.shape)}`);
  }
  return said;
}
