import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { Choice, Field } from "../../parts/fields";
import { Heading } from "../../parts/panes";
import { PickMany } from "../../parts/pick-many";
import { PasteTargets } from "./paste";
import { itemOf, useWeighting } from "./weights";
import { WithinChoice } from "./within-choice";

export const KINDS = [
  ["counts", "counts of people"],
  ["percent", "per cent"],
  ["shares", "shares of 1"],
] as const;
export type TargetKind = (typeof KINDS)[number][0];

/** A margin begins with its variables and a list of targets. */
export function NewMargin({ at, codebook }: { at: number; codebook: Schema["CodebookView"] }) {
  const { study, weighting, add } = useWeighting(at);
  const navigate = useNavigate();
  const [by, setBy] = useState<string[]>([]);
  const [as, setAs] = useState<TargetKind>("counts");
  const within = weighting.within ?? [];
  const [own, setOwn] = useState(false);
  const coded = codebook.variables.filter((v) => v.variable.kind === "coded").map((v) => v.variable.name);
  const take = (targets: Schema["Target"][]) => {
    const margin = { by, as, unknown: "refuse" as const, targets };
    add(margin);
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
          Margins are over coded variables. Lay an answer scale on one first, or band a number.
        </p>
      )}
      <PickMany id="margin-by" label="Variables; several are crossed" chosen={by} options={coded} change={setBy} />
      <div className="flex gap-4">
        <Field label="Targets are">
          {(p) => (
            <Choice
              {...p}
              className="!w-56"
              value={as}
              onChange={(e) => setAs(e.target.value as TargetKind)}
              options={KINDS}
            />
          )}
        </Field>
        <WithinChoice within={within} own={own} change={setOwn} />
      </div>
      {by.length > 0 && <PasteTargets by={own ? [...within, ...by] : by} take={take} />}
    </div>
  );
}
