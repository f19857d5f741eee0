import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Step } from "../../api/client";
import { useStudy } from "../../api/queries";
import { Choice, Field, TextInput } from "../../parts/fields";
import { FormulaField } from "../../parts/formula";
import { Heading } from "../../parts/panes";
import { TakeStep, useTrial } from "../../parts/trial";

/** A new variable by a formula. */
export function DeriveForm({ scales }: { scales: string[] }) {
  const study = useStudy();
  const navigate = useNavigate();
  const [into, setInto] = useState("");
  const [value, setValue] = useState("");
  const [label, setLabel] = useState("");
  const [scale, setScale] = useState("");
  const formula: Step | null = value.trim() ? { do: "derive", into: into || "new_variable", value } : null;
  const { trial } = useTrial({ step: formula });
  const step: Step | null =
    into && value.trim() ? { do: "derive", into, value, label: label || null, scale: scale || null } : null;
  return (
    <div className="max-w-3xl">
      <Heading over="An entry of the ledger">New variable by a formula</Heading>
      <Field label="Name">
        {(p) => <TextInput {...p} className="!w-64" value={into} onChange={(e) => setInto(e.target.value)} />}
      </Field>
      <FormulaField
        label="Formula"
        rows={3}
        value={value}
        change={setValue}
        faults={(trial?.faults ?? []).filter((f) => f.where === "value" || !step)}
        hint="For example seconds_between(started, finished), mean(q1, q2, q3), or pick(age >= 65, 1, 2). Names are offered as you type."
      />
      <div className="grid grid-cols-2 gap-4">
        <Field label="Label">
          {(p) => <TextInput {...p} value={label} onChange={(e) => setLabel(e.target.value)} />}
        </Field>
        <Field label="Answer scale, where its values are codes">
          {(p) => (
            <Choice
              {...p}
              value={scale}
              onChange={(e) => setScale(e.target.value)}
              options={[["", "none"], ...scales.map((s) => [s, s] as const)]}
            />
          )}
        </Field>
      </div>
      <TakeStep
        id="apply-derive"
        label="Create variable"
        step={step}
        done={() => navigate({ to: "/study/$id/codebook/{-$item}", params: { id: study.id, item: into } })}
      />
    </div>
  );
}
