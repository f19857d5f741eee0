import { ClipboardText } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { TextInput } from "../../parts/fields";
import { count, percent, plainly } from "../../parts/figures";
import { numberIn } from "../../parts/number-field";
import type { Category } from "./categories";
import type { TargetKind } from "./target-kinds";

/** What targets that sum to so much likely are. */
export const kindOf = (sum: number): TargetKind =>
  Math.abs(sum - 100) < 0.5 ? "percent" : Math.abs(sum - 1) < 0.005 ? "shares" : "counts";

/** A target for each category, typed one below the other; Enter goes on, and takes them after the last. */
export function TypedTargets({
  categories,
  cases,
  as,
  take,
}: {
  categories: readonly Category[];
  /** How many cases each category has, where that is known. */
  cases: readonly (number | undefined)[];
  /** What the targets are, where that was said; else it is recognised by their sum. */
  as: TargetKind | null;
  take: (targets: Schema["Target"][], as: TargetKind) => void;
}) {
  const [typed, setTyped] = useState<readonly string[]>(categories.map(() => ""));
  const values = typed.map((text) => (text.trim() === "" ? null : numberIn(text)));
  const wrong = values.some((v) => v != null && !(Number.isFinite(v) && v >= 0));
  const sum = values.reduce((total: number, v) => total + (v ?? 0), 0);
  const filled = values.filter((v) => v != null).length;
  const kind = as ?? kindOf(sum);
  const whole = cases.reduce((total: number, n) => total + (n ?? 0), 0);
  const ready = filled === categories.length && !wrong && sum > 0;
  const taken = () =>
    ready &&
    take(
      categories.map((c, i) => ({ at: c.at, value: values[i] as number })),
      kind,
    );
  return (
    <section aria-label="Type targets">
      <table className="my-2 text-sm">
        <thead>
          <tr className="border-rule border-y text-right font-serif">
            <th className="py-1 pr-6 text-left font-semibold">Category</th>
            <th className="pr-4 font-semibold">Cases</th>
            <th className="pr-6 font-semibold">%</th>
            <th className="font-semibold">Target</th>
          </tr>
        </thead>
        <tbody className="figures">
          {categories.map((category, i) => (
            <tr key={category.label} className="text-right">
              <td className="py-0.5 pr-6 text-left font-serif">{category.label}</td>
              <td className="pr-4 text-soft">{cases[i] == null ? "" : count(cases[i])}</td>
              <td className="pr-6 text-soft">{cases[i] == null || !whole ? "" : percent(cases[i] / whole)}</td>
              <td>
                <TextInput
                  aria-label={`Target of ${category.label}`}
                  inputMode="decimal"
                  autoFocus={i === 0}
                  className="figures !w-28 !py-0 text-right"
                  value={typed[i]}
                  onChange={(e) => setTyped(typed.map((t, k) => (k === i ? e.target.value : t)))}
                  onPaste={(e) => {
                    const lines = e.clipboardData.getData("text").trim().split(/\r?\n/);
                    if (lines.length < 2) return;
                    e.preventDefault();
                    setTyped(typed.map((t, k) => (k < i ? t : (lines[k - i]?.split("\t").at(-1)?.trim() ?? t))));
                  }}
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
        <tfoot>
          <tr className="figures border-rule border-t text-right">
            <td className="py-1 text-left font-serif">Sum</td>
            <td colSpan={2} className="pr-6 text-soft">
              {ready && (kind === "percent" ? "per cent" : kind === "shares" ? "proportions" : "counts")}
            </td>
            <td className="pr-2">{plainly(sum)}</td>
          </tr>
        </tfoot>
      </table>
      <ActionButton
        id="take-typed"
        label="Create margin"
        icon={ClipboardText}
        look="strong"
        disabled={!ready}
        run={() => {
          taken();
        }}
      />
      {wrong && <span className="ml-2 text-heed text-sm">▲ Targets are numbers from 0 on.</span>}
    </section>
  );
}
