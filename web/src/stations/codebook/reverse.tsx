import { ArrowsDownUp } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema, Step } from "../../api/client";
import { Field, TextInput, Tick } from "../../parts/fields";
import { TakeStep, useTrial } from "../../parts/trial";

/** Codes and labels turned together; before and after stand side by side. A second time is asked for, never done by accident. */
export function ReverseForm({
  views,
  done,
}: {
  views: readonly Schema["VariableView"][];
  done: (made: string[]) => void;
}) {
  const names = views.map((v) => v.variable.name);
  const [suffix, setSuffix] = useState("_rev");
  const [again, setAgain] = useState(false);
  const step: Step = { do: "reverse", variables: names, suffix: suffix.trim() || null, again };
  const { trial } = useTrial({ step });
  const twice = again || trial?.faults.some((f) => f.kind === "turned_round");
  return (
    <div>
      <Field
        label="Suffix of the new variable’s name"
        hint={
          suffix
            ? `Makes ${names.map((n) => n + suffix).join(", ")}; ${names.length > 1 ? "the variables stay" : `${names[0]} stays`} as ${names.length > 1 ? "they are" : "it is"}.`
            : "In place: the variable itself is reversed."
        }
      >
        {(p) => <TextInput {...p} className="!w-48" value={suffix} onChange={(e) => setSuffix(e.target.value)} />}
      </Field>
      {twice && (
        <Tick
          label="It has been reversed already: reverse it once more"
          checked={again}
          onChange={(e) => setAgain(e.target.checked)}
        />
      )}
      <TakeStep
        id="apply-reverse"
        label="Reverse"
        icon={ArrowsDownUp}
        step={step}
        done={() => done(names.map((n) => n + suffix.trim()))}
      />
    </div>
  );
}
