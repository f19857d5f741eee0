import { useState } from "react";
import { count } from "./figures";
import { FormulaField } from "./formula";
import { useTried } from "./tried";

/** A filter that is taken when it is left or Enter is pressed; says how many cases it lets through, or what is wrong with it. */
export function FilterField({
  label,
  value,
  take,
  hint,
}: {
  label: string;
  value: string | null | undefined;
  take: (to: string | null) => void;
  hint?: string;
}) {
  const given = value ?? "";
  const [held, hold] = useState({ given, text: given, asked: given });
  // Changed from elsewhere, an undo for one: that is shown. What is typed on while the last is saved stays.
  if (held.given !== given) hold({ given, asked: given, text: given === held.asked ? held.text : given });
  const text = held.text;
  const tried = useTried(text.trim());
  const said = tried?.cases == null ? undefined : `${count(tried.cases)} of ${count(tried.of)} cases. `;
  return (
    <FormulaField
      label={label}
      rows={1}
      value={text}
      change={(to) => hold({ ...held, text: to })}
      faults={tried?.faults}
      placeholder="all cases"
      hint={`${said ?? ""}${hint ?? ""}`}
      settle={(entered) => {
        const wanted = text.trim();
        // Entered and then left, it is asked for once; entered again, after a refusal, it is asked for again.
        if (wanted === given || (!entered && wanted === held.asked)) return;
        hold({ ...held, asked: wanted });
        take(wanted || null);
      }}
    />
  );
}
