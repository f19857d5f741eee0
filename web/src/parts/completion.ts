import type { Fault } from "../api/client";

/** What formulas can call, with what each gives. */
const FUNCTIONS: [name: string, says: string][] = [
  ["missing", "whether it has no answer"],
  ["answered", "how many of these are answered"],
  ["mean", "mean of those answered"],
  ["total", "sum of those answered"],
  ["low", "smallest of those answered"],
  ["high", "largest of those answered"],
  ["round", "rounded, to so many decimals"],
  ["log", "natural logarithm"],
  ["exp", "e to the power"],
  ["sqrt", "square root"],
  ["abs", "without its sign"],
  ["pick", "condition, then, else"],
  ["seconds_between", "from one time to another"],
  ["year", "year of a date"],
  ["contains", "whether a text holds “…”"],
];

/** Words of a formula that are whole as they stand. */
const WORDS = ["and", "or", "not", "in"];

export interface Offer {
  insert: string;
  shown: string;
  says: string;
}

/** The unfinished name before a place in a formula. */
export function unfinished(text: string, at: number): string {
  return /[A-Za-z_]\w*$/.exec(text.slice(0, at))?.[0] ?? "";
}

/** Names and functions that an unfinished name may become: itself where it is one, then those that begin with it. None where it
 * is whole and nothing else begins with it. */
export function offers(part: string, variables: readonly (readonly [string, string])[]): Offer[] {
  if (!part || WORDS.includes(part)) return [];
  const wanted = part.toLowerCase();
  const rank = (name: string, says: string) =>
    name === part
      ? -1
      : name.toLowerCase().startsWith(wanted)
        ? 0
        : name.toLowerCase().includes(wanted)
          ? 1
          : wanted.length > 3 && says.toLowerCase().includes(wanted)
            ? 2
            : 3;
  const all = [
    ...variables.map(([name, says]) => ({ insert: name, shown: name, says, rank: rank(name, says) })),
    ...FUNCTIONS.map(([name, says]) => ({ insert: `${name}(`, shown: `${name}( )`, says, rank: rank(name, "") })),
  ];
  const found = all
    .filter((o) => o.rank < 3)
    .sort((a, b) => a.rank - b.rank)
    .slice(0, 7);
  return found[0]?.insert === part && (found[1]?.rank ?? 3) > 0 ? [] : found;
}

/** The character a fault of a formula points at, from 0; -1 where it points at none. */
export const placeIn = (fault: Fault) => Number(/\(character (\d+) of/.exec(fault.what)?.[1] ?? 0) - 1;
