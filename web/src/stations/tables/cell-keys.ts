import type { Schema } from "../../api/client";

type Grid = NonNullable<Schema["TableView"]["grid"]>;

/** A figure by its row, its column and what it is. */
export const keyOf = (
  variable: string,
  code: number | null | undefined,
  net: string | null | undefined,
  path: readonly Schema["BannerKey"][] | null | undefined,
  stat: string,
) =>
  JSON.stringify([
    variable,
    code ?? null,
    net ?? null,
    path?.map((b) => [b.variable, b.code ?? null, b.net ?? null]),
    stat,
  ]);

export const keyOfCell = (c: Schema["Cell"]) => keyOf(c.stub.variable, c.stub.code, c.stub.net, c.banner, c.stat);

/** The figure that a line has in a column. */
export function keyAt(grid: Grid, section: Schema["Section"], line: Schema["Line"], column: number) {
  const of = grid.battery?.[column] ?? line;
  const path = grid.battery ? section.path : grid.paths[column];
  return keyOf(line.variable ?? section.variable, of.code, of.net, path, of.stat);
}
