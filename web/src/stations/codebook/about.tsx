import { Check } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextArea, TextInput } from "../../parts/fields";

type Variable = Schema["Variable"];

const ROLES = [
  ["", "an ordinary question"],
  ["id", "identifies the case"],
  ["status", "status of the entry"],
  ["started", "when it was started"],
  ["ended", "when it was ended"],
  ["seconds", "how long it took, in seconds"],
  ["order", "what was shown in which order"],
  ["stratum", "stratum"],
  ["cluster", "cluster"],
  ["weight", "weight"],
] as const;

/** What is said of a variable beside its answers: its question, part in the survey, unit, note. */
export function AboutForm({ view, done }: { view: Schema["VariableView"]; done: () => void }) {
  const study = useStudy();
  const { change } = useChange();
  const { variable } = view;
  const [label, setLabel] = useState(variable.label ?? "");
  const [role, setRole] = useState<string>(variable.role ?? "");
  const [unit, setUnit] = useState(variable.unit ?? "");
  const [note, setNote] = useState(variable.note ?? "");
  const book = study.document.codebook ?? {};
  const variables = book.variables ?? [];
  const save = () => {
    const before = variables.find((v) => v.name === variable.name);
    // The codebook says what a column is as it arrives; what the ledger makes of it later stays the ledger's.
    const kind = before?.kind ?? view.arrived_as ?? variable.kind;
    const parts = kind === "multi" ? { parts: variable.parts, options: variable.options } : {};
    const said: Variable = {
      ...(before ?? { name: variable.name, kind, ...parts }),
      label: label.trim() || null,
      role: (role || null) as Variable["role"],
      unit: unit.trim() || null,
      note: note.trim() || null,
    };
    const to = before ? variables.map((v) => (v === before ? said : v)) : [...variables, said];
    change.mutateAsync({ codebook: { ...book, variables: to } }).then(done, () => {});
  };
  return (
    <div className="max-w-2xl">
      <Field label="Question, as it was asked">
        {(p) => <TextArea {...p} rows={3} value={label} onChange={(e) => setLabel(e.target.value)} />}
      </Field>
      <div className="grid grid-cols-2 gap-4">
        <Field label="Part in the survey" hint="Checks of whole entries use these: status, identifier, times.">
          {(p) => <Choice {...p} value={role} options={ROLES} onChange={(e) => setRole(e.target.value)} />}
        </Field>
        <Field label="Unit">{(p) => <TextInput {...p} value={unit} onChange={(e) => setUnit(e.target.value)} />}</Field>
      </div>
      <Field label="Note">
        {(p) => <TextArea {...p} rows={2} value={note} onChange={(e) => setNote(e.target.value)} />}
      </Field>
      <ActionButton
        id="apply-about"
        label="Keep this"
        icon={Check}
        look="strong"
        disabled={change.isPending}
        run={save}
      />
    </div>
  );
}
