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
  const [text, setText] = useState(value ?? "");
  const tried = useTried(text.trim());
  const said = tried?.cases == null ? undefined : `${count(tried.cases)} of ${count(tried.of)} cases. `;
  return (
    <FormulaField
      label={label}
      rows={1}
      value={text}
      change={setText}
      faults={tried?.faults}
      placeholder="everybody"
      hint={`${said ?? ""}${hint ?? ""}`}
      settle={() => {
        if (text.trim() !== (value ?? "")) take(text.trim() || null);
      }}
    />
  );
}
