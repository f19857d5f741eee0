import type { DependenceLine, FigureKey } from "../../../api/depends";
import { decimals, plural } from "../../../parts/figures";

const SHARES = ["col_pct", "row_pct", "total_pct", "response_pct"];
/** Standard errors below which a change is called small. */
export const SMALL = 0.3;

export interface Published extends FigureKey {
  est: number;
  se?: number | null;
  low?: number | null;
  high?: number | null;
}

export interface Moved {
  line: DependenceLine;
  without: number | null;
  change: number | null;
  inSe: number | null;
}

export const isShare = (figure: FigureKey) => SHARES.includes(figure.stat);

/** How a figure is printed: shares in per cent. */
export const printer = (figure: FigureKey) =>
  isShare(figure) ? (x: number) => decimals(100 * x, 1) : (x: number) => decimals(x, 2);

/** A change with its sign; without one where it is printed as nought. */
export function signed(change: number, figure: (x: number) => string): string {
  const text = figure(change);
  return change > 0 && /[1-9]/.test(text) ? `+${text}` : text;
}

const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b);
/** Which figure it is, told apart from all others. */
export const keyOf = ({ stub, banner, stat }: FigureKey) => [
  stub.variable,
  stub.code ?? null,
  stub.net ?? null,
  banner.map((b) => [b.variable, b.code ?? null, b.net ?? null]),
  stat,
];

const size = (m: Moved) => (m.change == null ? (m.line.refused ? -2 : -1) : Math.abs(m.change));

/** What a figure is without each decision, the largest change first. */
export function movedOf(lines: readonly DependenceLine[], figure: FigureKey): Moved[] {
  const key = keyOf(figure);
  return lines
    .map((line) => {
      const mine = line.tables[0]?.cells.find((c) => same(keyOf(c), key));
      return { line, without: mine?.without ?? null, change: mine?.change ?? null, inSe: mine?.in_se ?? null };
    })
    .sort((a, b) => size(b) - size(a));
}

/** What is done without a decision, in words. */
export const insteadOf = (line: DependenceLine) =>
  line.instead ? `${line.says}; instead: ${line.instead}` : line.says;

/** A decision that a figure is calculated without, within a sentence. */
export const leftOut = (line: DependenceLine) => (line.instead ? `with ${line.instead}` : `without “${line.says}”`);

/** How far decisions move a figure, in words that its numbers bear. */
export function saysMoved(moved: readonly Moved[], cell: Published): string {
  const share = isShare(cell);
  const figure = printer(cell);
  const known = moved.filter((m) => m.change != null);
  const far = known.filter((m) => Math.abs(m.inSe ?? 0) > SMALL);
  const first = known[0];
  if (!first) return "Leaving out any one of the decisions makes this figure impossible to calculate.";
  const none = `Of ${plural(known.length, "decision")} none moves it by more than ${SMALL} standard errors`;
  const some = `Of ${plural(known.length, "decision")} ${far.length === 1 ? "one moves" : `${far.length} move`} it by more than ${SMALL} standard errors`;
  const by = `${figure(Math.abs(first.change ?? 0))}${share ? " points" : ""}`;
  const with_ = leftOut(first.line);
  const move = `${with_} it would be ${figure(first.without ?? 0)}${share ? " %" : ""} instead of ${figure(cell.est)}${share ? " %" : ""}`;
  return `${far.length ? some : none}; ${move}, a change of ${by}.`;
}

/** Where values stand on one axis, as a per cent of its length. */
export function placing(values: readonly (number | null | undefined)[]) {
  const ends = values.filter((x): x is number => x != null);
  const [low, high] = [Math.min(...ends), Math.max(...ends)];
  return (x: number) => (high > low ? 4 + (92 * (x - low)) / (high - low) : 50);
}

/** How many combinations some decisions make: those of one place are taken away one at a time. */
export function pathsOf(lines: readonly DependenceLine[]): number {
  const places = new Map<string, number>();
  for (const line of lines) places.set(line.place, (places.get(line.place) ?? 1) + 1);
  return [...places.values()].reduce((a, b) => a * b, 1);
}
