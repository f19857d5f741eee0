import { Swap } from "@phosphor-icons/react";
import { useState } from "react";
import type { Step } from "../../api/client";
import { Field, TextArea, Tick } from "../../parts/fields";
import { TakeStep } from "../../parts/trial";

/** Wordings and what they become, from lines "old = new"; null where a line is none. */
export function wordingsFrom(text: string): Record<string, string> | null {
  const lines = text.split(/\r?\n/).filter((line) => line.trim());
  const pairs = lines.map((line) => {
    const at = line.lastIndexOf("=");
    return at > 0 ? ([line.slice(0, at).trim(), line.slice(at + 1).trim()] as const) : null;
  });
  if (!pairs.length || pairs.some((pair) => !pair?.[0])) return null;
  return Object.fromEntries(pairs as (readonly [string, string])[]);
}

/** A wording replaced wherever it stands in some questions, whole or in part. */
export function ReplaceForm({ names, done }: { names: readonly string[]; done: () => void }) {
  const [text, setText] = useState("");
  const [part, setPart] = useState(false);
  const wordings = wordingsFrom(text);
  const step: Step | null = wordings ? { do: "replace", variables: [...names], wordings, part } : null;
  return (
    <>
      <Field
        label="Wordings, “old = new”, one per line"
        hint="Leave the right side empty to make the cell blank."
        wrong={text.trim() && !wordings ? "Each line is a wording, an equals sign, and what it becomes." : undefined}
      >
        {(p) => (
          <TextArea
            {...p}
            rows={4}
            spellCheck={false}
            placeholder="89 or older = 89"
            value={text}
            onChange={(e) => setText(e.target.value)}
          />
        )}
      </Field>
      <Tick label="Also within longer answers" checked={part} onChange={(e) => setPart(e.target.checked)} />
      <TakeStep id="apply-replace" label="Replace" icon={Swap} step={step} done={done} />
    </>
  );
}
