import { Check, Copy, FunnelSimple } from "@phosphor-icons/react";
import { useEffect, useState } from "react";
import type { Step } from "../../../api/client";
import { useChange, useCodebook } from "../../../api/queries";
import { ActionButton } from "../../../parts/actions";
import { Choice, Field, TextInput } from "../../../parts/fields";
import { plural } from "../../../parts/figures";
import { useTrial } from "../../../parts/trial";
import type { InHand } from "./grid";

const STATES = ["answered", "blank", "a code that means no answer", "unrecognised"];

/** Selected cell: what it holds, what it is set to, and why. One cell, all alike, or the whole case. */
export function EditCell({ hand, done }: { hand: InHand; done: () => void }) {
  const codebook = useCodebook();
  const { addSteps, change } = useChange();
  const view = codebook.variables.find((v) => v.variable.name === hand.variable);
  const scale = view?.variable.scale ? codebook.scales[view.variable.scale] : undefined;
  const { entry, state } = hand.cell;
  const [value, setValue] = useState(state === 1 ? "" : entry);
  const [why, setWhy] = useState("");
  useEffect(() => setValue(state === 1 ? "" : entry), [entry, state]);
  const kind = view?.variable.kind ?? "text";
  const coded = kind === "coded" && scale;
  const missing = [...(scale?.missing ?? []), ...(view?.variable.missing ?? [])];
  const to =
    value.trim() === ""
      ? null
      : coded || kind === "number"
        ? Number.isNaN(Number(value))
          ? value
          : Number(value)
        : value;
  const reason = why.trim() || null;
  const one: Step = {
    do: "edit",
    id: hand.alone && hand.id != null ? hand.id : hand.row,
    by: hand.alone && hand.id != null ? "id" : "row",
    variable: hand.variable,
    value: to,
    why: reason,
  };
  const alike: Step | null =
    state === 1
      ? typeof to === "number"
        ? { do: "fill_blank", variables: [hand.variable], code: to, why: reason }
        : null
      : state === 3 && coded && typeof to === "number"
        ? {
            do: "code",
            variables: [hand.variable],
            scale: view?.variable.scale ?? null,
            answers: { [entry]: to },
            otherwise: "flag",
            why: reason,
          }
        : kind === "coded" && state !== 3 && (to === null || typeof to === "number")
          ? { do: "recode", variables: [hand.variable], codes: { [entry]: to }, why: reason }
          : null;
  const same = value === (state === 1 ? "" : entry);
  const { trial } = useTrial({ step: same ? null : alike });
  const take = (step: Step) => {
    addSteps(step).then(done, () => {});
  };
  return (
    <section aria-label="Selected cell" className="border-rule border-b bg-leaf px-1 pt-1 pb-2">
      <p className="max-w-4xl truncate text-sm">
        <span className="font-semibold">{hand.variable}</span> of{" "}
        {hand.id ? `${hand.id} (record ${hand.row})` : `record ${hand.row}`}
        {!hand.alone && hand.id != null && <span className="text-heed"> ▲ shared with another case</span>}:{" "}
        {state === 1 ? "blank" : `${entry}${hand.cell.label ? ` ${hand.cell.label}` : ""}, ${STATES[state] ?? "…"}`}{" "}
        <span className="font-serif text-soft">{view?.variable.label}</span>
      </p>
      <div className="flex items-end gap-3">
        <div className="w-64">
          <Field label="Change to">
            {(p) =>
              coded ? (
                <Choice
                  {...p}
                  data-cell-value
                  value={value}
                  onChange={(e) => setValue(e.target.value)}
                  options={[
                    ["", "blank"],
                    ...[...scale.codes, ...missing].map((c) => [String(c.code), `${c.code}  ${c.label}`] as const),
                    ...(value !== "" && ![...scale.codes, ...missing].some((c) => String(c.code) === value)
                      ? [[value, state === 3 ? `“${value}”, unrecognised` : `${value} (not in the codebook)`] as const]
                      : []),
                  ]}
                />
              ) : (
                <TextInput
                  {...p}
                  data-cell-value
                  value={value}
                  placeholder="blank"
                  onChange={(e) => setValue(e.target.value)}
                  onKeyDown={(e) => e.key === "Enter" && !same && take(one)}
                />
              )
            }
          </Field>
        </div>
        <div className="w-64">
          <Field label="Reason">
            {(p) => (
              <TextInput
                {...p}
                value={why}
                onChange={(e) => setWhy(e.target.value)}
                onKeyDown={(e) => e.key === "Enter" && !same && take(one)}
              />
            )}
          </Field>
        </div>
        <ActionButton
          id="set-cell"
          label="Change this cell"
          icon={Check}
          look="strong"
          className="mb-2"
          disabled={same || state < 0 || change.isPending}
          run={() => take(one)}
        />
        {alike && !same && trial && !trial.faults.length && (
          <ActionButton
            id="set-alike"
            label={`Change all ${plural(trial.cells_changed, "cell")} with this value`}
            icon={Copy}
            className="mb-2"
            disabled={change.isPending}
            run={() => take(alike)}
          />
        )}
        <ActionButton
          id="set-case-aside"
          label="Set the case aside"
          icon={FunnelSimple}
          className="mb-2"
          disabled={change.isPending}
          run={() => take({ do: "drop_cases", where: `row == ${hand.row}`, why: reason })}
        />
      </div>
    </section>
  );
}
