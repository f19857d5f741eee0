import { Check } from "@phosphor-icons/react";
import type { Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field } from "../../parts/fields";
import { Faults } from "../../parts/notices";
import { Heading, Sub } from "../../parts/panes";
import { PickMany } from "../../parts/pick-many";
import { MethodForm } from "./method";

type Design = Schema["Design"];

const POLICIES = [
  ["stop", "stop and list them"],
  ["add_nothing", "they add nothing to the variance"],
  ["mean_of_units", "compare with the mean of all units"],
  ["mean_of_strata", "take the mean of the other strata"],
] as const;

/** How the sample was drawn, declared once for every table. */
export function DesignForm({ view, codebook }: { view: Schema["DesignView"]; codebook: Schema["CodebookView"] }) {
  const study = useStudy();
  const { change } = useChange();
  const design: Design = study.document.design ?? {};
  const save = (parts: Partial<Design>) => change.mutate((document) => ({ design: { ...document.design, ...parts } }));
  const names = codebook.variables
    .filter((v) => v.variable.kind !== "multi" && v.variable.kind !== "date")
    .map((v) => v.variable.name);
  const numbers = codebook.variables.filter((v) => v.variable.kind === "number").map((v) => v.variable.name);
  const weights = (study.document.weightings ?? []).map((w) => w.save_as ?? "weight");
  const raked = (study.document.weightings ?? []).some((w) => w.margins?.length);
  const weight = "weight" in design ? (design.weight ?? "-none-") : "";
  return (
    <div className="max-w-2xl">
      <Heading over="Sample design">{view.psus == null ? "The design does not fit the cases yet" : view.head}</Heading>
      {view.psus != null && (
        <p className="text-soft text-sm">
          {view.details} {view.method}
        </p>
      )}
      <Faults faults={view.faults} />
      {(view.notices ?? []).length > 0 && (
        <section aria-label="Notes" className="my-3 space-y-1 border-heed border-l-4 px-3 py-1 text-sm">
          {view.notices?.map((n) => (
            <p key={n.what}>
              <span className="font-semibold">▲ {n.what}</span> {n.mend}
            </p>
          ))}
          {view.proposal && (
            <ActionButton
              id="use-roles"
              label="Use them in the design"
              icon={Check}
              run={() => save(Object.fromEntries(Object.entries(view.proposal ?? {}).filter(([, to]) => to != null)))}
            />
          )}
        </section>
      )}
      <PickMany
        id="strata"
        label="Strata"
        chosen={design.strata ?? []}
        options={names}
        change={(strata) => save({ strata })}
        hint="The parts the population was divided into before drawing. Empty: one stratum."
      />
      <PickMany
        id="clusters"
        label="Clusters (first-stage units)"
        chosen={design.clusters ?? []}
        options={names}
        change={(clusters) => save({ clusters })}
        hint="What was drawn first in each stratum, such as districts. Empty: every case was drawn by itself."
      />
      <Field
        label="Population size (for the fpc)"
        hint="For the finite population correction; a variable with one number in each stratum."
      >
        {(p) => (
          <Choice
            {...p}
            className="!w-72"
            value={design.population_size ?? ""}
            onChange={(e) => save({ population_size: e.target.value || null })}
            options={[["", "not known or very many"], ...numbers.map((n) => [n, n] as const)]}
          />
        )}
      </Field>
      <Field label="Single-PSU strata">
        {(p) => (
          <Choice
            {...p}
            className="!w-72"
            value={design.single_psu ?? "stop"}
            onChange={(e) => save({ single_psu: e.target.value as Design["single_psu"] })}
            options={POLICIES}
          />
        )}
      </Field>
      <Field label="Weight of the tables">
        {(p) => (
          <Choice
            {...p}
            className="!w-72"
            value={weight}
            onChange={(e) => {
              const { weight: _, ...rest } = design;
              const to = e.target.value;
              change.mutate({ design: to === "" ? rest : { ...rest, weight: to === "-none-" ? null : to } });
            }}
            options={[
              [
                "",
                weights.length
                  ? `the last weighting's (${weights[weights.length - 1]})`
                  : "the last weighting's, once there is one",
              ],
              ["-none-", "none: unweighted"],
              ...[...new Set([...weights, ...numbers])].map((n) => [n, n] as const),
            ]}
          />
        )}
      </Field>
      <Sub>Standard errors</Sub>
      <MethodForm
        key={design.variance?.method ?? "linearised"}
        design={design}
        numbers={numbers}
        raked={raked}
        save={save}
      />
    </div>
  );
}
