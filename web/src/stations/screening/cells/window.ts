import { keepPreviousData, useQueries, useQuery } from "@tanstack/react-query";
import { api, got, type Schema } from "../../../api/client";
import { useStudy } from "../../../api/queries";

export type CellsView = Schema["CellsView"];
export type CellsRow = Schema["CellsRow"];

/** Which cases the grid shows, and in what order. */
export interface Asked {
  sort?: string | null;
  descending?: boolean;
  where?: string | null;
  finding?: Schema["Finding"] | null;
  aside?: number | null;
}

export const PAGE = 100;
export const BLOCK = 16;

/** The query of one page of one block of columns. */
function pageQuery(id: string, edition: number, asked: Asked, page: number, columns: readonly string[] | null) {
  return {
    queryKey: ["below", id, edition, "cells", asked, page, columns] as const,
    staleTime: Number.POSITIVE_INFINITY,
    gcTime: 60_000,
    retry: false,
    queryFn: () =>
      got(
        api.POST("/api/v1/studies/{study_id}/cells", {
          params: { path: { study_id: id } },
          body: {
            descending: asked.descending ?? false,
            sort: asked.sort ?? null,
            where: asked.where ?? null,
            finding: asked.finding ?? null,
            aside: asked.aside ?? null,
            columns: columns ? [...columns] : null,
            offset: page * PAGE,
            limit: PAGE,
          },
        }),
      ),
  };
}

/** One cell as it is shown. */
export interface Cell {
  entry: string;
  label: string | null;
  state: number;
}

/** The stretch of the grid that is in sight: rows from first to last, columns by name. Cells come as they arrive. */
export function useWindow(asked: Asked, rows: [first: number, last: number], columns: readonly string[]) {
  const study = useStudy();
  const pages: number[] = [];
  for (let p = Math.floor(rows[0] / PAGE); p <= Math.floor(Math.max(rows[1], 0) / PAGE); p++) pages.push(p);
  const blocks: string[][] = [];
  for (let c = 0; c < columns.length; c += BLOCK) blocks.push(columns.slice(c, c + BLOCK));
  const wanted = pages.flatMap((page) => blocks.map((block) => ({ page, block })));
  const answers = useQueries({
    queries: wanted.map(({ page, block }) => pageQuery(study.id, study.edition, asked, page, block)),
  });
  const found = new Map<number, { row: CellsRow; cells: Map<string, Cell> }>();
  answers.forEach((answer, i) => {
    const view = answer.data;
    const page = wanted[i]?.page ?? 0;
    if (!view || view.offset !== page * PAGE) return;
    view.rows.forEach((row, r) => {
      const place = view.offset + r;
      const there = found.get(place) ?? { row, cells: new Map<string, Cell>() };
      view.columns.forEach((column, c) => {
        there.cells.set(column.name, {
          entry: row.entries[c] ?? "",
          label: row.labels[c] ?? null,
          state: row.states[c] ?? 0,
        });
      });
      found.set(place, there);
    });
  });
  return { found, error: answers.find((a) => a.error)?.error ?? null };
}

/** How many rows there are, under which conditions, and every column. */
export function useExtent(asked: Asked) {
  const study = useStudy();
  const { data, error } = useQuery({
    ...pageQuery(study.id, study.edition, asked, 0, []),
    placeholderData: keepPreviousData,
  });
  return { extent: data, error };
}
