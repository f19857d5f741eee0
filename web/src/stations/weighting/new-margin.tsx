import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { Choice, Field } from "../../parts/fields";
import { Heading } from "../../parts/panes";
import { PickMany } from "../../parts/pick-many";
import { PasteTargets } from "./paste";
import type { Weighting } from "./station";

export const KINDS = [
  ["counts", "counts of people"],
  ["percent", "per cent"],
  ["shares", "shares of 1"],
] as const;
export type TargetKind = (typeof KINDS)[number][0];

/** A margin begins with its variables and a list of targets. */
export function NewMargin({ weighting, codebook }: { weighting: Weighting; codebook: Schema["CodebookView"] }) {
  const study = useStudy();
  const { change } = useChange();
  const navigate = useNavigate();
  const [by, setBy] = useState<string[]>([]);
  const [as, setAs] = useState<TargetKind>("counts");
  const coded = codebook.variables.filter((v) => v.variable.kind === "coded").map((v) => v.variable.name);
  const add = (targets: Schema["Target"][]) => {
    const margins = [...(weighting.margins ?? []), { by, as, unknown: "refuse" as const, targets }];
    change.mutateAsync({ weightings: [{ ...weighting, margins }] }).then(
      () =>
        navigate({
          to: "/study/$id/weighting/{-$item}",
          params: { id: study.id, item: `margin-${margins.length - 1}` },
        }),
      () => {},
    );
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
      {by.length > 0 && <PasteTargets by={by} take={add} />}
    </div>
  );
}
