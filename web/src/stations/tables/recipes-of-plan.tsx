import { Trash } from "@phosphor-icons/react";
import { useState } from "react";
import { useChange, useStudy } from "../../api/queries";
import { useVocabulary } from "../../api/vocabulary";
import { ActionButton } from "../../parts/actions";
import { Choice, Tick } from "../../parts/fields";
import { plural } from "../../parts/figures";
import { tell } from "../../parts/notices";
import { Sub } from "../../parts/panes";
import { laid, recipesOf, withRecipe } from "../../parts/recipes";
import { Ticks } from "../../parts/ticks";
import { saysFigures } from "./figures";

/** The recipes of the study: which is the usual one, and laying one on many tables at once. */
export function RecipesOfPlan() {
  const study = useStudy();
  const vocabulary = useVocabulary();
  const { change, move } = useChange();
  const { document } = study;
  const recipes = recipesOf(document, vocabulary.recipes);
  const tables = document.tables ?? [];
  const [name, setName] = useState(recipes[0]?.name ?? "");
  const [left, setLeft] = useState<readonly string[]>([]);
  const wanted = tables.filter((t) => !left.includes(t.id));
  const usual = document.usual_recipe ?? null;
  const drop = (gone: string) =>
    change.mutate((now) => {
      const all = recipesOf(now, vocabulary.recipes);
      return {
        recipes: all.filter((r) => r.name !== gone),
        usual_recipe: now.usual_recipe === gone ? null : now.usual_recipe,
        tables: (now.tables ?? []).map((t) => (t.recipe === gone ? withRecipe(t, null, all) : t)),
      };
    });
  const lay = () =>
    change
      .mutateAsync((now) => ({
        tables: (now.tables ?? []).map((t) =>
          left.includes(t.id) ? t : withRecipe(t, name, recipesOf(now, vocabulary.recipes)),
        ),
      }))
      .then(
        () =>
          tell(`${plural(wanted.length, "table")} now by “${name}”.`, {
            label: "Undo",
            go: () => move.mutate("undo"),
          }),
        () => {},
      );
  return (
    <>
      <Sub>Recipes</Sub>
      <p className="max-w-2xl text-soft text-sm">
        Figures, intervals, nets, tests and what stands beside, kept under a name. A table takes from its recipe what it
        does not settle itself; a recipe is changed from any of its tables, for all of them.
      </p>
      <table className="my-1 text-sm">
        <tbody>
          {recipes.map((recipe) => {
            const used = tables.filter((t) => t.recipe === recipe.name).length;
            return (
              <tr key={recipe.name} className="align-baseline">
                <th scope="row" className="py-0.5 pr-4 text-left font-normal font-serif">
                  {recipe.name}
                  <span className="block text-soft text-xs">
                    {saysFigures(laid({ id: "", recipe: recipe.name }, recipes), vocabulary)}
                  </span>
                </th>
                <td className="pr-2 text-right text-soft">{used ? plural(used, "table") : ""}</td>
                <td>
                  <ActionButton
                    id={`usual-recipe-${recipe.name}`}
                    label={`New tables begin with ${recipe.name}`}
                    look="quiet"
                    pressed={usual === recipe.name}
                    run={() => change.mutate({ usual_recipe: usual === recipe.name ? null : recipe.name })}
                  >
                    {usual === recipe.name ? "✓ usual" : "usual"}
                  </ActionButton>
                  <ActionButton
                    id={`drop-recipe-${recipe.name}`}
                    label={`Remove the recipe ${recipe.name}; its tables stay as they are`}
                    icon={Trash}
                    bare
                    look="quiet"
                    run={() => drop(recipe.name)}
                  />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {recipes.length > 0 && tables.length > 0 && (
        <fieldset>
          <legend className="font-semibold text-sm">Lay one on many tables</legend>
          <div className="flex flex-wrap items-center gap-2">
            <Choice
              aria-label="Recipe to lay on tables"
              className="!w-64"
              value={recipes.some((r) => r.name === name) ? name : (recipes[0]?.name ?? "")}
              options={recipes.map((r) => [r.name, r.name] as const)}
              onChange={(e) => setName(e.target.value)}
            />
            <ActionButton id="lay-on-all" label="All tables" look="quiet" run={() => setLeft([])} />
            <ActionButton
              id="lay-on-none"
              label="None of them"
              look="quiet"
              run={() => setLeft(tables.map((t) => t.id))}
            />
          </div>
          <Ticks className="max-h-48 overflow-y-auto">
            {tables.map((t) => (
              <Tick
                key={t.id}
                label={`${t.title || t.id}${t.recipe ? ` (${t.recipe})` : ""}`}
                checked={!left.includes(t.id)}
                onChange={(e) => setLeft(e.target.checked ? left.filter((id) => id !== t.id) : [...left, t.id])}
              />
            ))}
          </Ticks>
          <ActionButton
            id="lay-recipe"
            label={`Lay it on ${plural(wanted.length, "table")}`}
            look="strong"
            className="mt-1"
            disabled={!wanted.length || change.isPending}
            run={lay}
          />
        </fieldset>
      )}
    </>
  );
}
