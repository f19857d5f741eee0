import { Plus, Trash } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../../api/client";
import { useChange, useLedger, useSaved } from "../../../api/queries";
import { ActionButton } from "../../../parts/actions";
import { Choice, Field, TextInput } from "../../../parts/fields";
import { Sub } from "../../../parts/panes";

type Value = { at: string; name: string; value: string | number };

/** What the values of an entry are called. */
const NAMES: Record<string, string> = {
  where: "Condition",
  value: "Formula",
  into: "Variable",
  low: "Lowest",
  high: "Highest",
  to: "To",
  from: "From",
  upper: "Upper end",
  lower: "Lower end",
  cut: "Cut-off",
  width: "Width",
  code: "Code",
};
const LEFT = ["do", "why", "off", "label", "into", "variable"];

const words = (key: string) => NAMES[key] ?? `${key.charAt(0).toUpperCase()}${key.slice(1).replaceAll("_", " ")}`;

/** The values of an entry that can be other ones: texts and numbers, wherever in it. */
export function valuesOf(step: unknown, at: string, name = ""): Value[] {
  if (typeof step === "string" || typeof step === "number") return [{ at, name, value: step }];
  if (Array.isArray(step)) return step.flatMap((item, k) => valuesOf(item, `${at}[${k}]`, `${name} ${k + 1}`));
  if (step && typeof step === "object")
    return Object.entries(step)
      .filter(([key]) => !LEFT.includes(key))
      .flatMap(([key, value]) =>
        valuesOf(value, `${at}.${key}`, name ? `${name}, ${words(key).toLowerCase()}` : words(key)),
      );
  return [];
}

/** Alternatives to decisions: a cut-off, a coding; each is one more line in what figures depend on. */
export function Alternatives() {
  const study = useSaved();
  const { change } = useChange();
  const sentences = useLedger();
  const ledger = study.document.ledger ?? [];
  const [entry, setEntry] = useState("");
  const [value, setValue] = useState("");
  const [to, setTo] = useState("");
  const [label, setLabel] = useState("");
  const at = Number(entry);
  const entries = sentences.flatMap(({ sentence }, k) =>
    ledger[k] && !ledger[k]?.off && valuesOf(ledger[k], "").length ? [[String(k), sentence] as const] : [],
  );
  const values = entry === "" ? [] : valuesOf(ledger[at], `ledger[${at}]`).slice(0, 200);
  const picked = values.find((v) => v.at === value) ?? values[0];
  const add = () => {
    if (!picked || !to.trim()) return;
    const made = typeof picked.value === "number" && Number.isFinite(Number(to)) ? Number(to) : to.trim();
    const named = label.trim() || to.trim();
    const one: Schema["Alternative"] = { label: named, set: [{ at: picked.at, to: made }] };
    change.mutate((document) => ({ alternatives: [...(document.alternatives ?? []), one] }));
    setTo("");
    setLabel("");
  };
  return (
    <section aria-label="Alternatives">
      <Sub>Alternatives of your own</Sub>
      <p className="max-w-prose text-soft text-sm">
        Another value in an entry of the ledger, such as a cut-off at 100 seconds: the figures are calculated with it
        too. The study itself stays as it is.
      </p>
      <ul className="my-1 text-sm">
        {(study.document.alternatives ?? []).map((of, k) => (
          <li key={`${of.label} ${of.set[0]?.at}`} className="flex items-center gap-2">
            {of.label}
            <ActionButton
              id={`drop-alternative-${k + 1}`}
              label={`Remove the alternative ${of.label}`}
              icon={Trash}
              bare
              look="quiet"
              run={() =>
                change.mutate((document) => ({
                  alternatives: (document.alternatives ?? []).filter((_, other) => other !== k),
                }))
              }
            />
          </li>
        ))}
      </ul>
      <div className="grid max-w-4xl grid-cols-2 gap-3">
        <Field label="Entry of the ledger">
          {(p) => (
            <Choice
              {...p}
              value={entry}
              options={[["", "Choose …"], ...entries]}
              onChange={(e) => {
                setEntry(e.target.value);
                setValue("");
                setTo("");
              }}
            />
          )}
        </Field>
        {picked && (
          <>
            {values.length > 1 && (
              <Field label="Value">
                {(p) => (
                  <Choice
                    {...p}
                    value={picked.at}
                    options={values.map((v) => [v.at, `${v.name}: ${String(v.value).slice(0, 60)}`] as const)}
                    onChange={(e) => setValue(e.target.value)}
                  />
                )}
              </Field>
            )}
            <Field label={`${picked.name} instead`} hint={`Now: ${picked.value}`}>
              {(p) => <TextInput {...p} value={to} onChange={(e) => setTo(e.target.value)} />}
            </Field>
            <Field label="Label" hint="As shown in lists. Empty: the value.">
              {(p) => <TextInput {...p} value={label} onChange={(e) => setLabel(e.target.value)} />}
            </Field>
          </>
        )}
      </div>
      {picked && (
        <ActionButton id="add-alternative" label="Add the alternative" icon={Plus} disabled={!to.trim()} run={add} />
      )}
    </section>
  );
}
