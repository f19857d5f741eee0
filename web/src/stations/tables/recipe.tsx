import { BookmarkSimple } from "@phosphor-icons/react";
import { useState } from "react";
import { useChange, useStudy } from "../../api/queries";
import { useVocabulary } from "../../api/vocabulary";
import { ActionButton } from "../../parts/actions";
import { Choice, TextInput } from "../../parts/fields";
import { laid, type Recipe, recipeOf, recipesOf, saysOwn, withRecipe } from "../../parts/recipes";
import type { Request } from "../../parts/table-plan";

/** The recipe of a table: which one, what the table settles for itself, and keeping that under a name. `own`: the table as it is written. */
export function RecipeOfTable({ own }: { own: Request }) {
  const study = useStudy();
  const { change } = useChange();
  const { recipes: ours } = useVocabulary();
  const [name, setName] = useState("");
  const recipes = recipesOf(study.document, ours);
  const put = (
    to: (table: Request, recipes: readonly Recipe[]) => Request,
    kept?: (all: readonly Recipe[]) => Recipe[],
  ) =>
    change.mutate((document) => {
      const there = recipesOf(document, ours);
      const all = kept ? kept(there) : there;
      return {
        ...(kept ? { recipes: [...all] } : {}),
        tables: (document.tables ?? []).map((t) => (t.id === own.id ? to(t, all) : t)),
      };
    });
  const keep = (as: string) =>
    put(
      (table, all) => withRecipe(table, as, all),
      (all) => {
        const made = recipeOf(as, laid(own, all));
        return all.some((r) => r.name === as) ? all.map((r) => (r.name === as ? made : r)) : [...all, made];
      },
    );
  const fresh = name.trim();
  const differs = own.recipe ? saysOwn(own) : "";
  return (
    <div className="flex flex-wrap items-center gap-x-2 gap-y-1 py-1 text-sm">
      <span className="font-semibold">Recipe</span>
      <Choice
        aria-label="Recipe"
        className="!w-60"
        value={own.recipe ?? ""}
        options={[["", "none"], ...recipes.map((r) => [r.name, r.name] as const)]}
        onChange={(e) => put((table, all) => withRecipe(table, e.target.value || null, all))}
      />
      {differs && own.recipe && (
        <>
          <span className="text-soft">own: {differs}</span>
          <ActionButton
            id="into-recipe"
            label={`Change the recipe “${own.recipe}” and all its tables`}
            run={() => keep(String(own.recipe))}
          >
            The same for all
          </ActionButton>
          <ActionButton
            id="as-recipe"
            label="Take the recipe's settings again"
            look="quiet"
            run={() => put((table, all) => withRecipe(table, own.recipe ?? null, all))}
          >
            As the recipe
          </ActionButton>
        </>
      )}
      <TextInput
        aria-label="Name of a new recipe"
        className="!w-44"
        placeholder="Keep these settings as …"
        value={name}
        onChange={(e) => setName(e.target.value)}
        onKeyDown={(e) => e.key === "Enter" && fresh && keep(fresh)}
      />
      <ActionButton
        id="keep-recipe"
        label="Keep these settings as a recipe"
        icon={BookmarkSimple}
        disabled={!fresh || recipes.some((r) => r.name === fresh)}
        run={() => {
          keep(fresh);
          setName("");
        }}
      >
        Keep
      </ActionButton>
    </div>
  );
}
