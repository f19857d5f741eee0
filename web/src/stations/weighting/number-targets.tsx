import { ClipboardText } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { TextInput } from "../../parts/fields";
import { numberIn } from "../../parts/number-field";
import type { Category } from "./categories";
import type { NumberKind } from "./target-kinds";

/** A number's target for each category, or one for all; Enter goes on, and takes them after the last. */
export function NumberTargets({
  number,
  as,
  categories,
  take,
}: {
  number: string;
  as: NumberKind;
  categories: readonly Category[];
  take: (targets: Schema["Target"][]) => void;
}) {
  const [typed, setTyped] = useState<readonly string[]>(categories.map(() => ""));
  const values = typed.map((text) => (text.trim() === "" ? null : numberIn(text)));
  const ready = values.every((v) => v != null && Number.isFinite(v));
  const taken = () => ready && take(categories.map((c, i) => ({ at: c.at, value: values[i] as number })));
  return (
    <section aria-label="Type targets">
      <table className="my-2 text-sm">
        <thead>
          <tr className="border-rule border-y text-right font-serif">
            <th className="py-1 pr-6 text-left font-semibold">Category</th>
            <th className="font-semibold">
              {as === "means" ? "Mean" : "Total"} of {number}
            </th>
          </tr>
        </thead>
        <tbody className="figures">
          {categories.map((category, i) => (
            <tr key={category.label} className="text-right">
              <td className="py-0.5 pr-6 text-left font-serif">{category.label || "All"}</td>
              <td>
                <TextInput
                  aria-label={`Target of ${category.label || "all"}`}
                  inputMode="decimal"
                  className="figures !w-32 !py-0 text-right"
                  value={typed[i]}
                  onChange={(e) => setTyped(typed.map((t, k) => (k === i ? e.target.value : t)))}
                  onKeyDown={(e) => {
                    if (e.key !== "Enter") return;
                    const fields = [...(e.currentTarget.closest("tbody")?.querySelectorAll("input") ?? [])];
                    if (i === categories.length - 1) taken();
                    else fields[i + 1]?.focus();
                  }}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <ActionButton
        id="take-numbers"
        label="Create margin"
        icon={ClipboardText}
        look="strong"
        disabled={!ready}
        run={() => {
          taken();
        }}
      />
    </section>
  );
}
