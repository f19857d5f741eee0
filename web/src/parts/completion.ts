/** A name with what it says. */
export type Named = readonly [name: string, says: string];

/** Words of a formula that are whole as they stand. */
const WORDS = ["and", "or", "not", "in"];

/** A name as a formula writes it: in back quotes where it is no plain word. */
const written = (name: string) => (/^[A-Za-z_]\w*$/.test(name) && !WORDS.includes(name) ? name : `\`${name}\``);

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
export function offers(part: string, variables: readonly Named[], functions: readonly Named[]): Offer[] {
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
    ...variables.map(([name, says]) => ({ insert: written(name), shown: name, says, rank: rank(name, says) })),
    ...functions.map(([name, says]) => ({ insert: `${name}(`, shown: `${name}( )`, says, rank: rank(name, "") })),
  ];
  const found = all
    .filter((o) => o.rank < 3)
    .sort((a, b) => a.rank - b.rank)
    .slice(0, 7);
  return found[0]?.insert === part && (found[1]?.rank ?? 3) > 0 ? [] : found;
}
