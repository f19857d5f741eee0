import type { Schema } from "../api/client";
import type { Request } from "./table-plan";

export type Recipe = Schema["Recipe"];
type Document = Schema["Study"];

/** What a recipe settles of a table, by the names of the table's settings. */
const SETTLED = [
  "show",
  "interval",
  "nets",
  "total_row",
  "tests",
  "adjust",
  "levels",
  "plain",
  "beside",
] as const satisfies readonly (keyof Request & keyof Recipe)[];

type Setting = (typeof SETTLED)[number];

const CALLED: Record<Setting, string> = {
  show: "figures",
  interval: "intervals",
  nets: "nets",
  total_row: "total row",
  tests: "tests",
  adjust: "adjustment",
  levels: "levels",
  plain: "simple random sampling",
  beside: "what stands beside",
};

/** The recipes of a study: its own, or those that every study begins with. */
export const recipesOf = (document: Document, ours: readonly Recipe[]): readonly Recipe[] => document.recipes ?? ours;

const said = (request: Request | Recipe, setting: Setting) => request[setting as keyof typeof request] != null;

/** A table as it is made: with what its recipe settles where it says nothing itself. */
export function laid(request: Request, recipes: readonly Recipe[]): Request {
  const recipe = recipes.find((r) => r.name === request.recipe);
  if (!recipe) return request;
  const given = SETTLED.filter((s) => said(recipe, s) && !(s in request)).map((s) => [s, recipe[s]]);
  const rows =
    recipe.rows && !("rows" in (request.display ?? {})) ? { display: { ...request.display, rows: recipe.rows } } : {};
  return { ...request, ...Object.fromEntries(given), ...rows };
}

/** What of its recipe's a table settles for itself. */
export const ownSettings = (request: Request): Setting[] => SETTLED.filter((s) => s in request);

export const saysOwn = (request: Request) =>
  ownSettings(request)
    .map((s) => CALLED[s])
    .join(", ");

/** A table that takes all from a recipe; null: the table as it was made, without any. */
export function withRecipe(request: Request, name: string | null, recipes: readonly Recipe[]): Request {
  if (name == null) return { ...laid(request, recipes), recipe: null };
  const rest = Object.entries(request).filter(([key]) => !(SETTLED as readonly string[]).includes(key));
  const to = { ...Object.fromEntries(rest), recipe: name } as Request;
  const recipe = recipes.find((r) => r.name === name);
  // A figure of each item that the recipe does not show is chosen anew.
  const shown = recipe?.show ?? ["n", "col_pct"];
  return to.figure && !shown.includes(to.figure.stat) ? { ...to, figure: null } : to;
}

/** A recipe of what a table is made of. Nets of one variable stay the table's own. */
export function recipeOf(name: string, request: Request): Recipe {
  const settled = SETTLED.filter((s) => request[s] != null).map((s) => [s, request[s]]);
  const nets = request.nets?.filter((n) => !n.stub && !n.banner);
  const by = request.display?.rows;
  const rows = by && !by.variable && !Object.keys(by.at ?? {}).length ? { rows: by } : {};
  return { name, ...Object.fromEntries(settled), ...(nets?.length ? { nets } : { nets: null }), ...rows };
}

/** A new table with the usual recipe of the study, where it has one. */
export const withUsual = (document: Document, request: Request, recipes: readonly Recipe[]): Request =>
  document.usual_recipe ? withRecipe(request, document.usual_recipe, recipes) : request;
