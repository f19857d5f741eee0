import { CheckFat } from "@phosphor-icons/react";
import type { Schema } from "../../../api/client";
import { ActionButton } from "../../../parts/actions";
import { Choice } from "../../../parts/fields";
import { count, plural } from "../../../parts/figures";
import type { Wording } from "./fit";

/** What each wording means: a code, or null for one that stays a finding. */
export type Meanings = Record<string, number | null>;

/** Wordings that no label equals, each with what it likely means; accepted one by one or all with one key. */
export function MeaningsTable({
  list,
  codes,
  meanings,
  change,
  extra,
  waits = false,
}: {
  list: readonly Wording[];
  codes: readonly Schema["Code"][];
  meanings: Meanings;
  change: (to: Meanings) => void;
  /** What is likely meant is of an earlier state of the scale: it is shown, and not to be accepted yet. */
  waits?: boolean;
  /** More that a wording can be, while the scale is being made. */
  extra?: { options: readonly (readonly [string, string])[]; choose: (text: string, value: string) => void };
}) {
  const open = list.filter((w) => w.proposal != null && meanings[w.text] === undefined);
  if (!list.length) return <p className="text-soft text-sm">Every answer has its code.</p>;
  return (
    <>
      <ActionButton
        id="accept-likely"
        label={`Accept ${plural(open.length, "likely meaning")}`}
        keys="a"
        icon={CheckFat}
        disabled={!open.length || waits}
        run={() => change({ ...meanings, ...Object.fromEntries(open.map((w) => [w.text, w.proposal])) })}
      />
      <table className="w-full text-sm">
        <tbody>
          {list.map((w) => {
            const meant = meanings[w.text];
            return (
              <tr key={w.text} className="border-hair border-b">
                <td className="max-w-64 truncate whitespace-pre py-0.5 pr-2 font-serif">{w.text}</td>
                <td className="figures w-14 pr-3 text-right text-soft">{count(w.cases)}</td>
                <td className="w-72 py-0.5">
                  <Choice
                    aria-label={`What “${w.text}” means`}
                    value={meant == null ? "flag" : `=${codes.find((c) => c.code === meant)?.label ?? ""}`}
                    onChange={(e) => {
                      const to = e.target.value;
                      if (to.startsWith("="))
                        change({ ...meanings, [w.text]: codes.find((c) => c.label === to.slice(1))?.code ?? null });
                      else if (to === "flag") change({ ...meanings, [w.text]: null });
                      else extra?.choose(w.text, to);
                    }}
                    options={[
                      ...(extra?.options ?? []),
                      ["flag", "leave it as a finding"],
                      ...codes
                        .filter((c) => c.label !== w.text)
                        .map((c) => [`=${c.label}`, `same as: ${c.label}`] as const),
                    ]}
                  />
                </td>
                <td className="pl-3 text-soft text-xs">
                  {w.proposal != null &&
                    (meant === undefined
                      ? `${w.why}: ${codes.find((c) => c.code === w.proposal)?.label ?? ""}?`
                      : meant === w.proposal && `✓ ${w.why}`)}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </>
  );
}
