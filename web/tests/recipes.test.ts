import { expect, test } from "vitest";
import { laid, ownSettings, type Recipe, recipeOf, withRecipe } from "../src/parts/recipes";
import type { Request } from "../src/parts/table-plan";

const HOUSE: Recipe = { name: "House", show: ["mean"], tests: ["columns"], rows: { stat: "mean" } };
const table: Request = { id: "t", stub: ["q"], recipe: "House", tests: [] };

test("a table takes from its recipe what it does not say itself", () => {
  const made = laid(table, [HOUSE]);
  expect(made.show).toEqual(["mean"]);
  expect(made.tests).toEqual([]);
  expect(made.display?.rows).toEqual({ stat: "mean" });
  expect(ownSettings(table)).toEqual(["tests"]);
  expect(laid({ id: "u", stub: ["q"] }, [HOUSE])).toEqual({ id: "u", stub: ["q"] });
});

test("laying a recipe takes a table's own settings away, leaving it gives them back", () => {
  const other: Request = { id: "t", stub: ["q"], show: ["col_pct"], figure: { stat: "col_pct", code: 1 } };
  expect(withRecipe(other, "House", [HOUSE])).toEqual({ id: "t", stub: ["q"], recipe: "House", figure: null });
  expect(withRecipe(table, null, [HOUSE])).toMatchObject({ recipe: null, show: ["mean"], tests: [] });
});

test("a recipe names no variables", () => {
  const nets = [
    { label: "Top", top: 2 },
    { label: "Own", stub: "q", codes: [1] },
  ];
  const made = recipeOf("R", { ...table, nets, display: { rows: { stat: "mean", at: { sex: 1 } } } });
  expect(made.nets).toEqual([{ label: "Top", top: 2 }]);
  expect(made.rows).toBeUndefined();
});
