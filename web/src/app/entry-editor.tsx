import { Check } from "@phosphor-icons/react";
import { useState } from "react";
import type { Step } from "../api/client";
import { useChange, useCodebook, useSettled, useStudy } from "../api/queries";
import { useVocabulary } from "../api/vocabulary";
import { ActionButton } from "../parts/actions";
import { Choice, Field, TextArea, TextInput, Tick } from "../parts/fields";
import { FormulaField } from "../parts/formula";
import { PickMany } from "../parts/pick-many";
import { TrialView, useTrial } from "../parts/trial";
import { asLines, fromLines } from "./entry-parts";

/** Lines that are read back whenever they read. */
function Lines({
  label,
  id,
  value,
  change,
}: {
  label: string;
  id: string;
  value: unknown;
  change: (to: unknown) => void;
}) {
  const [text, setText] = useState(asLines(id, value));
  const read = fromLines(id, text);
  return (
    <Field
      label={label}
      wrong={read === undefined ? "These lines cannot be read; nothing has been changed yet." : undefined}
    >
      {(p) => (
        <TextArea
          {...p}
          rows={Math.min(8, Math.max(2, text.split("\n").length))}
          value={text}
          spellCheck={false}
          onChange={(e) => {
            setText(e.target.value);
            const to = fromLines(id, e.target.value);
            if (to !== undefined) change(to);
          }}
        />
      )}
    </Field>
  );
}

/** An entry of the ledger changed: its parts as fields, with what it would then do, and whether a later one would stop. */
export function EntryEditor({ at, step: before, done }: { at: number; step: Step; done: () => void }) {
  const study = useStudy();
  const codebook = useCodebook();
  const { change } = useChange();
  const settled = useSettled();
  const [draft, setDraft] = useState<Record<string, unknown>>({ ...before });
  const { trial } = useTrial({ step: draft as Step, insteadOf: at + 1 });
  const names = codebook.variables.map((v) => v.variable.name);
  const put = (key: string, value: unknown) => setDraft((d) => ({ ...d, [key]: value }));
  const inner = before.do === "drop_cases" ? (before.duplicates ? "duplicates" : before.ids ? "ids" : null) : null;
  const vocabulary = useVocabulary();
  const parts = vocabulary.steps.find((s) => s.do === before.do);
  const partOf = (key: string) => [...(parts?.parts ?? []), ...vocabulary.inner].find((p) => p.key === key);
  const keys = [...Object.keys(before), ...(parts?.offered ?? [])].filter(
    (key, i, all) => !["do", "why", "off", "ids", "duplicates"].includes(key) && all.indexOf(key) === i,
  );
  const part = (key: string, value: unknown, set: (to: unknown) => void) => {
    const known = partOf(key);
    const label = known?.label ?? key;
    const kind = known?.shown ?? "text";
    if (kind === "formula")
      return (
        <FormulaField
          key={key}
          label={label}
          value={String(value ?? "")}
          change={(to) => set(to.trim() ? to : null)}
          faults={(trial?.faults ?? []).filter((f) => f.where === key)}
        />
      );
    if (kind === "names")
      return (
        <PickMany
          key={key}
          id={`entry-${key}`}
          label={label}
          chosen={(value as string[] | null) ?? []}
          options={[...new Set([...names, ...((value as string[] | null) ?? [])])]}
          change={set}
        />
      );
    if (kind === "lines") return <Lines key={key} id={key} label={label} value={value} change={set} />;
    if (kind === "tick")
      return <Tick key={key} label={label} checked={Boolean(value)} onChange={(e) => set(e.target.checked)} />;
    if (kind === "choice")
      return (
        <Field key={key} label={label}>
          {(p) => (
            <Choice
              {...p}
              className="!w-64"
              value={String(value ?? "")}
              onChange={(e) => set(e.target.value || null)}
              options={(known?.choices ?? []).map((c) => [c.value, c.label] as const)}
            />
          )}
        </Field>
      );
    return (
      <Field key={key} label={label}>
        {(p) => (
          <TextInput
            {...p}
            className="!w-80"
            value={value == null ? "" : String(value)}
            onChange={(e) => {
              const text = e.target.value;
              const number = text.trim() !== "" && Number.isFinite(Number(text));
              set(text === "" ? null : number && kind === "number" ? Number(text) : text);
            }}
          />
        )}
      </Field>
    );
  };
  const within = inner ? (draft[inner] as Record<string, unknown>) : {};
  const steps = study.document.ledger ?? [];
  return (
    <div className="my-1 max-w-3xl border-act border-l-4 pl-4">
      {keys.map((key) => part(key, draft[key] ?? partOf(key)?.default ?? null, (to) => put(key, to)))}
      {inner &&
        Object.entries(within).map(([key, value]) => part(key, value, (to) => put(inner, { ...within, [key]: to })))}
      {trial && <TrialView trial={trial} />}
      <div className="my-1 flex gap-2">
        <ActionButton
          id={`keep-entry-${at + 1}`}
          label={`Keep entry ${at + 1} like this`}
          icon={Check}
          look="strong"
          disabled={!settled || !trial || trial.faults.length > 0}
          run={() => {
            change.mutateAsync({ ledger: steps.map((s, i) => (i === at ? (draft as Step) : s)) }).then(done, () => {});
          }}
        />
        <ActionButton id={`leave-entry-${at + 1}`} label={`Leave entry ${at + 1} as it is`} run={done} />
      </div>
    </div>
  );
}
