import { useState } from "react";
import type { Schema, Step } from "../../api/client";
import { Choice, Field, TextInput } from "../../parts/fields";
import { TakeStep } from "../../parts/trial";

/** A score over several items, or a count of how many of them were left blank. */
export function ScoreForm({
  views,
  title = "",
  done,
}: {
  views: readonly Schema["VariableView"][];
  title?: string;
  done: () => void;
}) {
  const items = views.map((v) => v.variable.name);
  const [into, setInto] = useState("score");
  const [how, setHow] = useState<"mean" | "total" | "blank">("mean");
  const [least, setLeast] = useState(String(Math.ceil(items.length / 2)));
  const [label, setLabel] = useState(title);
  const enough = Number(least);
  const step: Step | null = !into
    ? null
    : how === "blank"
      ? { do: "count_blank", variables: items, into }
      : Number.isInteger(enough)
        ? { do: "score", items, into, how, at_least: enough, label: label || null }
        : null;
  return (
    <div>
      <div className="grid grid-cols-2 gap-4">
        <Field label="Name of the new variable">
          {(p) => <TextInput {...p} value={into} onChange={(e) => setInto(e.target.value)} />}
        </Field>
        <Field label="Calculate">
          {(p) => (
            <Choice
              {...p}
              value={how}
              onChange={(e) => setHow(e.target.value as typeof how)}
              options={[
                ["mean", "the mean of the codes answered"],
                ["total", "their total"],
                ["blank", "how many were left blank"],
              ]}
            />
          )}
        </Field>
        {how !== "blank" && (
          <>
            <Field
              label="Minimum number of items answered"
              hint={`Of ${items.length}; with fewer the score is missing.`}
            >
              {(p) => <TextInput {...p} value={least} onChange={(e) => setLeast(e.target.value)} />}
            </Field>
            <Field label="Label">
              {(p) => <TextInput {...p} value={label} onChange={(e) => setLabel(e.target.value)} />}
            </Field>
          </>
        )}
      </div>
      <TakeStep id="apply-score" label="Create variable" step={step} done={done} />
    </div>
  );
}
