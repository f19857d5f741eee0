import { Check } from "@phosphor-icons/react";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { Refusal } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextArea, TextInput } from "../../parts/fields";
import { Faults } from "../../parts/notices";
import { Heading } from "../../parts/panes";

/** A new variable by a formula. */
export function DeriveForm({ scales }: { scales: string[] }) {
  const study = useStudy();
  const navigate = useNavigate();
  const { addSteps, change } = useChange();
  const [into, setInto] = useState("");
  const [value, setValue] = useState("");
  const [label, setLabel] = useState("");
  const [scale, setScale] = useState("");
  return (
    <div className="max-w-2xl">
      <Heading over="An entry of the ledger">New variable by a formula</Heading>
      <Field label="Name">
        {(p) => <TextInput {...p} className="!w-64" value={into} onChange={(e) => setInto(e.target.value)} />}
      </Field>
      <Field
        label="Formula"
        hint="For example seconds_between(started, finished), mean(q1, q2, q3), or pick(age >= 65, 1, 2). Functions: missing, answered, mean, total, low, high, round, log, exp, sqrt, abs, pick, seconds_between, year, contains."
      >
        {(p) => (
          <TextArea {...p} rows={3} spellCheck={false} value={value} onChange={(e) => setValue(e.target.value)} />
        )}
      </Field>
      <Field label="Its text">
        {(p) => <TextInput {...p} value={label} onChange={(e) => setLabel(e.target.value)} />}
      </Field>
      <Field label="Answer scale, where its values are codes">
        {(p) => (
          <Choice
            {...p}
            className="!w-64"
            value={scale}
            onChange={(e) => setScale(e.target.value)}
            options={[["", "none"], ...scales.map((s) => [s, s] as const)]}
          />
        )}
      </Field>
      {change.error instanceof Refusal && <Faults faults={change.error.faults} />}
      <ActionButton
        id="apply-derive"
        label="Make it"
        icon={Check}
        look="strong"
        disabled={!into || !value || change.isPending}
        run={() => {
          addSteps({ do: "derive", into, value, label: label || null, scale: scale || null }).then(
            () => navigate({ to: "/study/$id/codebook/{-$item}", params: { id: study.id, item: into } }),
            () => {},
          );
        }}
      />
    </div>
  );
}
