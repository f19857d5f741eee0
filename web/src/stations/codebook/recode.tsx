import { useState } from "react";
import type { Schema, Step } from "../../api/client";
import { Choice, Field, TextInput } from "../../parts/fields";
import { count } from "../../parts/figures";
import { TakeStep } from "../../parts/trial";

/** Codes changed to other codes of the scale, in place or in a new variable. */
export function RecodeForm({
  views,
  codebook,
  done,
}: {
  views: readonly Schema["VariableView"][];
  codebook: Schema["CodebookView"];
  done: () => void;
}) {
  const view = views[0] as Schema["VariableView"];
  const scale = codebook.scales[view.variable.scale ?? ""];
  const [suffix, setSuffix] = useState("");
  const [to, setTo] = useState<Record<number, string>>({});
  const codes = [...(scale?.codes ?? []), ...(scale?.missing ?? []), ...(view.variable.missing ?? [])];
  const answers = view.answers.filter((a) => a.code != null);
  const changes = Object.fromEntries(
    Object.entries(to)
      .filter(([, value]) => value !== "")
      .map(([code, value]) => [code, value === "blank" ? null : Number(value)]),
  );
  const step: Step | null = Object.keys(changes).length
    ? { do: "recode", variables: views.map((v) => v.variable.name), codes: changes, suffix: suffix.trim() || null }
    : null;
  return (
    <div>
      <table className="text-sm">
        <tbody>
          {answers.map((a) => (
            <tr key={a.code} className="border-hair border-b">
              <td className="figures pr-2 text-right text-soft">{a.code}</td>
              <td className="max-w-80 truncate pr-4 font-serif">{a.label}</td>
              <td className="figures pr-4 text-right text-soft">{count(a.cases)}</td>
              <td className="w-64 py-0.5">
                <Choice
                  aria-label={`What code ${a.code} becomes`}
                  value={to[a.code ?? 0] ?? ""}
                  onChange={(e) => setTo({ ...to, [a.code ?? 0]: e.target.value })}
                  options={[
                    ["", "stays as it is"],
                    ["blank", "becomes blank"],
                    ...codes
                      .filter((c) => c.code !== a.code)
                      .map((c) => [String(c.code), `becomes ${c.code} ${c.label}`] as const),
                  ]}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <Field label="Suffix of the new variable’s name" hint={suffix ? undefined : "Empty: the codes change in place."}>
        {(p) => <TextInput {...p} className="!w-48" value={suffix} onChange={(e) => setSuffix(e.target.value)} />}
      </Field>
      <TakeStep id="apply-recode" label="Change the codes" step={step} done={done} />
    </div>
  );
}
