import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { Choice, Field } from "../../parts/fields";
import { Heading } from "../../parts/panes";
import { PickMany } from "../../parts/pick-many";
import { categoriesOf } from "./categories";
import { NumberTargets } from "./number-targets";
import { PasteTargets } from "./paste";
import { KINDS, type NumberKind, OF_NUMBERS, type TargetKind } from "./target-kinds";
import { kindOf, TypedTargets } from "./typed-targets";
import { itemOf, useWeighting } from "./weights";
import { WithinChoice } from "./within-choice";

/** Whether the population's size is known, which totals of a number need. */
const populationKnown = (weighting: Schema["Weighting"]) =>
  typeof weighting.scale_to === "number" || (weighting.margins ?? []).some((m) => m.as === "counts");

const sumOf = (targets: readonly Schema["Target"][]) => targets.reduce((sum, t) => sum + t.value, 0);

/** Up to so many categories have a field each. */
const TYPED = 60;

/** A margin begins with its variables and a list of targets. */
export function NewMargin({ at, codebook }: { at: number; codebook: Schema["CodebookView"] }) {
  const { study, weighting, add } = useWeighting(at);
  const navigate = useNavigate();
  const begun = useSearch({ from: "/study/$id/weighting/{-$item}" }).by;
  const [by, setBy] = useState<string[]>(begun ? [begun] : []);
  const [as, setAs] = useState<TargetKind | null>(null);
  const [number, setNumber] = useState("");
  const [fixes, setFixes] = useState<NumberKind>("means");
  const within = weighting.within ?? [];
  const [own, setOwn] = useState(false);
  const numbers = codebook.variables.filter((v) => v.variable.kind === "number").map((v) => v.variable.name);
  const coded = codebook.variables.filter((v) => v.variable.kind === "coded").map((v) => v.variable.name);
  const all = own ? [...within, ...by] : by;
  const categories = by.length ? categoriesOf(all, codebook) : [];
  const only = all.length === 1 ? codebook.variables.find((v) => v.variable.name === all[0]) : undefined;
  const cases = categories.map((c) => only?.answers.find((a) => a.code === c.at[only.variable.name])?.cases);
  const take = (targets: Schema["Target"][], kind: TargetKind | NumberKind) => {
    add({ by, as: kind, unknown: "refuse" as const, targets, ...(number ? { total_of: number } : {}) });
    navigate({
      to: "/study/$id/weighting/{-$item}",
      params: { id: study.id, item: itemOf(at, `margin-${weighting.margins?.length ?? 0}`) },
    });
  };
  return (
    <div className="max-w-2xl">
      <Heading over="Population targets">New margin</Heading>
      {!coded.length && (
        <p className="text-soft">
          A margin needs a coded variable. Apply an answer scale to one first, or band a number.
        </p>
      )}
      <div className="flex gap-4">
        <Field label="Targets for">
          {(p) => (
            <Choice
              {...p}
              className="!w-56"
              value={number}
              onChange={(e) => setNumber(e.target.value)}
              options={[["", "the size of categories"], ...numbers.map((name) => [name, `a number: ${name}`] as const)]}
            />
          )}
        </Field>
        {number && (
          <Field label="Target type">
            {(p) => (
              <Choice
                {...p}
                className="!w-56"
                value={fixes}
                onChange={(e) => setFixes(e.target.value as NumberKind)}
                options={OF_NUMBERS}
              />
            )}
          </Field>
        )}
      </div>
      <PickMany
        id="margin-by"
        label={number ? "Within the categories of. Empty: all cases" : "Variables; several are crossed"}
        chosen={by}
        options={coded}
        change={setBy}
      />
      {number && fixes === "totals" && !populationKnown(weighting) && (
        <p className="text-heed text-sm">
          ▲ Totals hold for a population: add a margin in counts first, or scale the weights to its size.
        </p>
      )}
      {number && categoriesOf(all, codebook).length <= TYPED && (
        <NumberTargets
          key={`${number} ${all.join()}`}
          number={number}
          as={fixes}
          categories={categoriesOf(all, codebook)}
          take={(targets) => take(targets, fixes)}
        />
      )}
      <div className={number ? "hidden" : "flex gap-4"}>
        <Field label="Targets are">
          {(p) => (
            <Choice
              {...p}
              className="!w-56"
              value={as ?? ""}
              onChange={(e) => setAs((e.target.value as TargetKind) || null)}
              options={[["", "recognised by their sum"], ...KINDS]}
            />
          )}
        </Field>
        <WithinChoice within={within} own={own} change={setOwn} />
      </div>
      {!number && categories.length > 0 && categories.length <= TYPED && (
        <TypedTargets key={all.join()} categories={categories} cases={cases} as={as} take={take} />
      )}
      {by.length > 0 && (
        <details className="mt-4" open={categories.length > TYPED}>
          <summary className="cursor-pointer text-act text-sm">Paste targets, or read them from a file</summary>
          <PasteTargets by={all} take={(targets) => take(targets, number ? fixes : (as ?? kindOf(sumOf(targets))))} />
        </details>
      )}
    </div>
  );
}
