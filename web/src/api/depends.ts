import { useEffect, useState } from "react";
import type { Refusal, Schema } from "./client";
import { follow } from "./lines";

export type DependenceLine = Schema["DependenceLine"];
export type PathLine = Schema["PathLine"];
export type FigureKey = Pick<Schema["Cell"], "stub" | "banner" | "stat">;

/** All tables and analyses, each with its largest change alone. */
export const EVERY_TABLE = "_all";

export interface Found<T> {
  lines: readonly T[];
  /** Other questions are answered first. */
  waiting: boolean;
  done: boolean;
  refusal: Refusal | null;
}

function useLines<T extends object>(url: string | null): Found<T> {
  const [found, setFound] = useState<Found<T>>({ lines: [], waiting: false, done: false, refusal: null });
  useEffect(() => {
    setFound({ lines: [], waiting: false, done: false, refusal: null });
    if (url === null) return;
    return follow<T>(
      url,
      (line) => setFound((f) => ({ ...f, waiting: false, lines: [...f.lines, line] })),
      () => setFound((f) => ({ ...f, waiting: true })),
      (refusal) => setFound((f) => ({ ...f, waiting: false, done: true, refusal })),
    );
  }, [url]);
  return found;
}

// The edition makes an address anew; the server knows which one it is.
const address = (study: string, edition: number, what: string, table: string, more: Record<string, string[]> = {}) => {
  const query = new URLSearchParams({ of: String(edition) });
  for (const [name, values] of Object.entries(more)) for (const value of values) query.append(name, value);
  return `/api/v1/studies/${study}/${what}/${encodeURIComponent(table)}?${query}`;
};

const figureOf = ({ stub, banner, stat }: FigureKey) => JSON.stringify({ stub, banner, stat });

/** What the figures of a table or an analysis would be without each decision, as it is worked out; whoever looks away stops it. */
export const useDepends = (study: string, edition: number, table: string, reading: boolean) =>
  useLines<DependenceLine>(address(study, edition, "depends", table, reading ? { reading: ["true"] } : {}));

/** A figure over every combination of some decisions; none are worked out for fewer than one. */
export const usePaths = (
  study: string,
  edition: number,
  table: string,
  figure: FigureKey,
  decisions: readonly string[],
) =>
  useLines<PathLine>(
    decisions.length
      ? address(study, edition, "paths", table, { figure: [figureOf(figure)], decision: [...decisions] })
      : null,
  );

/** The cases, units and strata that carry a figure, and how far it has got; whoever looks away stops it. */
export const useInfluence = (study: string, edition: number, table: string, figure: FigureKey) =>
  useLines<Schema["InfluenceLine"]>(address(study, edition, "influence", table, { figure: [figureOf(figure)] }));
