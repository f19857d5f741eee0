import { ArrowLineDown } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema, Step } from "../../api/client";
import { Field, TextInput } from "../../parts/fields";
import { NumberField } from "../../parts/number-field";
import { TakeStep } from "../../parts/trial";

/** Numbers above a limit become the limit, in a new variable. */
export function TopCodeForm({ variable, done }: { variable: Schema["Variable"]; done: () => void }) {
  const [limit, setLimit] = useState<number | null>(null);
  const [into, setInto] = useState(`${variable.name}_top`.slice(0, 40));
  const named = /^\w+$/.test(variable.name) ? variable.name : `\`${variable.name}\``;
  const step: Step | null =
    limit == null || !into.trim()
      ? null
      : {
          do: "derive",
          into: into.trim(),
          value: `pick(${named} > ${limit}, ${limit}, ${named})`,
          label: `${variable.label ?? variable.name} (${limit} and over as ${limit})`,
        };
  return (
    <>
      <div className="grid grid-cols-2 gap-4">
        <Field label="Largest value">{(p) => <NumberField {...p} value={limit} take={setLimit} />}</Field>
        <Field label="Name">{(p) => <TextInput {...p} value={into} onChange={(e) => setInto(e.target.value)} />}</Field>
      </div>
      <TakeStep id="apply-top-code" label="Create variable" icon={ArrowLineDown} step={step} done={done} />
    </>
  );
}
