import { Check } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextArea, TextInput } from "../../parts/fields";
import { ROLES } from "../../parts/variables";
import { codesFrom, linesOf, wrongWith } from "./scales/lines";

type Variable = Schema["Variable"];
type View = Schema["VariableView"];

export const LEVELS = [
  ["nominal", "nominal: names without order"],
  ["ordinal", "ordinal: in order"],
  ["interval", "interval: equal distances"],
  ["ratio", "ratio: with a true zero"],
] as const;

/** A variable's entry in the codebook with some of it said anew. The codebook says what a column is as it arrives; what the
 * ledger makes of it later stays the ledger's. */
function saidOf(view: View, before: Variable | undefined, over: Partial<Variable>): Variable {
  const { variable } = view;
  const kind = before?.kind ?? view.arrived_as ?? variable.kind;
  const parts = kind === "multi" ? { parts: variable.parts, options: variable.options } : {};
  return { ...(before ?? { name: variable.name, kind, label: variable.label ?? null, ...parts }), ...over };
}

/** Saves what is said of some variables. */
export function useSaying() {
  const study = useStudy();
  const { change } = useChange();
  const book = study.document.codebook ?? {};
  const variables = book.variables ?? [];
  return {
    pending: change.isPending,
    say: (views: readonly View[], over: (view: View) => Partial<Variable>) => {
      const names = new Map(views.map((v) => [v.variable.name, v]));
      const there = variables.map((v) => {
        const view = names.get(v.name);
        return view ? saidOf(view, v, over(view)) : v;
      });
      const fresh = views
        .filter((v) => !variables.some((known) => known.name === v.variable.name))
        .map((v) => saidOf(v, undefined, over(v)));
      return change.mutateAsync({ codebook: { ...book, variables: [...there, ...fresh] } });
    },
  };
}

/** What is said of a variable beside its answers; of several at once, what they can share. */
export function AboutForm({ views, done }: { views: readonly View[]; done: () => void }) {
  const { say, pending } = useSaying();
  const one = views.length === 1 ? views[0]?.variable : undefined;
  const shared = <K extends keyof Variable>(key: K) => {
    const values = new Set(views.map((v) => JSON.stringify(v.variable[key] ?? null)));
    return values.size === 1 ? (views[0]?.variable[key] ?? null) : null;
  };
  const [label, setLabel] = useState(one?.label ?? "");
  const [role, setRole] = useState<string>(one?.role ?? "");
  const [level, setLevel] = useState<string>((shared("level") as string | null) ?? "");
  const [unit, setUnit] = useState((shared("unit") as string | null) ?? "");
  const [note, setNote] = useState((shared("note") as string | null) ?? "");
  const before = linesOf((shared("missing") as Schema["Code"][] | null) ?? []);
  const [missing, setMissing] = useState(before);
  const codes = codesFrom(missing, 99, -1);
  const wrong = missing.trim() ? wrongWith(codes, []) : undefined;
  const takesCodes = views.every((v) => ["coded", "number"].includes(v.variable.kind));
  const numbers = views.every((v) => v.variable.kind === "number");
  const spelled = (key: "least" | "most") => {
    const value = shared(key) as number | null;
    return value == null ? "" : String(value);
  };
  const [least, setLeast] = useState(spelled("least"));
  const [most, setMost] = useState(spelled("most"));
  const bound = (text: string) => (text.trim() && Number.isFinite(Number(text)) ? Number(text) : null);
  const implied = one ? views[0]?.level : undefined;
  const save = () => {
    const over: Partial<Variable> = {
      ...(one ? { label: label.trim() || null, role: (role || null) as Variable["role"] } : {}),
      level: (level || null) as Variable["level"],
      unit: unit.trim() || null,
      note: note.trim() || null,
      ...(numbers ? { least: bound(least), most: bound(most) } : {}),
      ...(takesCodes && missing !== before ? { missing: missing.trim() ? codes : [] } : {}),
    };
    say(views, () => over).then(done, () => {});
  };
  return (
    <div className="max-w-2xl">
      {one && (
        <Field label="Question, as it was asked">
          {(p) => <TextArea {...p} rows={3} value={label} onChange={(e) => setLabel(e.target.value)} />}
        </Field>
      )}
      <div className="grid grid-cols-2 gap-4">
        {one && (
          <Field label="Role" hint="Checks of whole records use these: status, identifier, times.">
            {(p) => <Choice {...p} value={role} options={ROLES} onChange={(e) => setRole(e.target.value)} />}
          </Field>
        )}
        <Field label="Level of measurement">
          {(p) => (
            <Choice
              {...p}
              value={level}
              onChange={(e) => setLevel(e.target.value)}
              options={[["", implied ? `as its kind implies: ${implied}` : "as its kind implies"], ...LEVELS]}
            />
          )}
        </Field>
        <Field label="Unit">{(p) => <TextInput {...p} value={unit} onChange={(e) => setUnit(e.target.value)} />}</Field>
        {numbers && (
          <Field label="Minimum valid value" hint="Values outside the range become findings.">
            {(p) => <TextInput {...p} value={least} onChange={(e) => setLeast(e.target.value)} />}
          </Field>
        )}
        {numbers && (
          <Field label="Largest it can be">
            {(p) => <TextInput {...p} value={most} onChange={(e) => setMost(e.target.value)} />}
          </Field>
        )}
        {takesCodes && (
          <Field
            label="Codes that mean no answer, one per line"
            hint={one?.scale ? "In addition to those of its answer scale." : "For example 999 Refused"}
            wrong={wrong}
          >
            {(p) => <TextArea {...p} rows={2} value={missing} onChange={(e) => setMissing(e.target.value)} />}
          </Field>
        )}
      </div>
      <Field label="Note">
        {(p) => <TextArea {...p} rows={2} value={note} onChange={(e) => setNote(e.target.value)} />}
      </Field>
      <ActionButton
        id="apply-about"
        label="Save"
        icon={Check}
        look="strong"
        disabled={pending || Boolean(wrong)}
        run={save}
      />
    </div>
  );
}
