import { Check } from "@phosphor-icons/react";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { useVocabulary } from "../../api/vocabulary";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextInput, Tick } from "../../parts/fields";
import { plural } from "../../parts/figures";
import { FindMany, NESTED } from "../../parts/find-many";
import { tell } from "../../parts/notices";
import { Heading } from "../../parts/panes";
import { recipesOf, withRecipe, withUsual } from "../../parts/recipes";
import { batteryOf, type Request, TABLED, tableOf } from "../../parts/table-plan";

type Entry = NonNullable<Request["banner"]>[number];

export const entriesOf = (chosen: readonly string[]): Entry[] =>
  chosen.map((b) => (b.includes(NESTED) ? b.split(NESTED) : b));
export const chosenOf = (entries: readonly Entry[]) => entries.map((b) => (typeof b === "string" ? b : b.join(NESTED)));

const USUAL = "";

/** Many questions by one banner: a table for each, a battery in one. */
export function ManyTables({ codebook }: { codebook: Schema["CodebookView"] }) {
  const study = useStudy();
  const navigate = useNavigate();
  const { change, move } = useChange();
  const [stubs, setStubs] = useState<string[]>([]);
  const [banner, setBanner] = useState(chosenOf(study.document.usual_banner ?? []));
  const [group, setGroup] = useState("");
  const [whole, setWhole] = useState(true);
  const recipes = recipesOf(study.document, useVocabulary().recipes);
  const [recipe, setRecipe] = useState(USUAL);
  const tabled = codebook.variables.filter((v) => TABLED.includes(v.variable.kind));
  const named = (kinds: string[]) =>
    tabled
      .filter((v) => kinds.includes(v.variable.kind))
      .map((v) => ({ name: v.variable.name, title: v.variable.label }));
  const inFull = codebook.batteries.filter((b) => whole && b.scale && b.variables.every((v) => stubs.includes(v)));
  const batteryAt = (name: string) => inFull.find((b) => b.variables.includes(name));
  const entries = entriesOf(banner);
  const make = (tables: readonly Request[]) => {
    const made: Request[] = [];
    const done = new Set<string>();
    for (const name of stubs) {
      if (done.has(name)) continue;
      const battery = batteryAt(name);
      const view = tabled.find((v) => v.variable.name === name);
      if (battery) {
        made.push(batteryOf(battery, entries, [...tables, ...made], group.trim()));
        for (const item of battery.variables) done.add(item);
      } else if (view) {
        made.push(tableOf(view, entries, [...tables, ...made], group.trim()));
      }
    }
    return made.map((table) => {
      if (recipe === USUAL) return withUsual(study.document, table, recipes);
      return withRecipe(table, recipe, recipes);
    });
  };
  const made = make(study.document.tables ?? []);
  const add = () => {
    let ids: string[] = [];
    change
      .mutateAsync((document) => {
        const fresh = make(document.tables ?? []);
        ids = fresh.map((t) => t.id);
        return { tables: [...(document.tables ?? []), ...fresh] };
      })
      .then(
        () => {
          tell(`${plural(ids.length, "table")} added to the plan.`, { label: "Undo", go: () => move.mutate("undo") });
          navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item: ids[0] } });
        },
        () => {},
      );
  };
  return (
    <div className="max-w-3xl">
      <Heading over="Plan of tables">Several tables at once</Heading>
      <FindMany
        id="many-stub"
        label="Questions, a table each"
        hint="Type a part of a name or of a question; Enter takes it."
        chosen={stubs}
        options={named(TABLED)}
        change={setStubs}
      />
      <div className="flex flex-wrap gap-1">
        {codebook.batteries.map((b) => (
          <ActionButton
            key={b.variables[0]}
            id={`many-battery-${b.variables[0]}`}
            label={`All items of ${b.stem || b.variables[0]}`}
            look="quiet"
            run={() => setStubs([...new Set([...stubs, ...b.variables])])}
          >
            {`+ ${b.variables[0]} to ${b.variables.at(-1)} (${b.variables.length})`}
          </ActionButton>
        ))}
        <ActionButton
          id="many-all"
          label="Every coded question"
          look="quiet"
          run={() =>
            setStubs(tabled.filter((v) => v.variable.kind === "coded" && !v.variable.role).map((v) => v.variable.name))
          }
        >
          + every coded question
        </ActionButton>
      </div>
      <FindMany
        id="many-banner"
        label="By this banner"
        chosen={banner}
        options={named(["coded", "date"])}
        nest
        change={setBanner}
      />
      <Field label="Under the heading" hint="Empty: no group.">
        {(p) => <TextInput {...p} className="!w-72" value={group} onChange={(e) => setGroup(e.target.value)} />}
      </Field>
      <Field label="Figures and tests by the recipe">
        {(p) => (
          <Choice
            {...p}
            className="!w-72"
            value={recipe}
            options={[
              [
                USUAL,
                study.document.usual_recipe ? `the usual: ${study.document.usual_recipe}` : "as each question suggests",
              ],
              ...recipes.map((r) => [r.name, r.name] as const),
            ]}
            onChange={(e) => setRecipe(e.target.value)}
          />
        )}
      </Field>
      <Tick
        label="One table, items as rows, for each battery chosen with all its items"
        checked={whole}
        onChange={(e) => setWhole(e.target.checked)}
      />
      <ActionButton
        id="add-many"
        label={made.length ? `Add ${plural(made.length, "table")}` : "Add tables"}
        icon={Check}
        look="strong"
        className="mt-3"
        disabled={!made.length || change.isPending}
        run={add}
      />
    </div>
  );
}
