import { ArrowsDownUp } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Field, TextInput } from "../../parts/fields";

/** Codes and labels turned together; before and after stand side by side. */
export function ReverseForm({
  view,
  codebook,
  done,
}: {
  view: Schema["VariableView"];
  codebook: Schema["CodebookView"];
  done: () => void;
}) {
  const { addSteps, change } = useChange();
  const { variable } = view;
  const [suffix, setSuffix] = useState("_turned");
  const scale = codebook.scales[variable.scale ?? ""];
  if (!scale) return null;
  const codes = scale.codes.map((c) => c.code);
  const mirrored = [...codes].reverse();
  const cases = new Map(view.answers.map((a) => [a.code, a.cases]));
  return (
    <div>
      <Field
        label="Ending of the new variable's name"
        hint={
          suffix
            ? `Makes ${variable.name}${suffix}; ${variable.name} stays as it is.`
            : "In place: the variable itself is turned."
        }
      >
        {(p) => <TextInput {...p} className="!w-48" value={suffix} onChange={(e) => setSuffix(e.target.value)} />}
      </Field>
      <table className="my-2 text-sm">
        <thead>
          <tr className="border-rule border-y text-left font-serif">
            <th className="py-1 pr-8 font-semibold">Answer</th>
            <th className="pr-8 text-right font-semibold">Code before</th>
            <th className="pr-8 text-right font-semibold">Code after</th>
            <th className="text-right font-semibold">Cases</th>
          </tr>
        </thead>
        <tbody className="figures">
          {scale.codes.map((c, i) => (
            <tr key={c.code}>
              <td className="py-0.5 pr-8">{c.label}</td>
              <td className="pr-8 text-right">{c.code}</td>
              <td className="pr-8 text-right font-semibold">{mirrored[i]}</td>
              <td className="text-right text-soft">{cases.get(c.code) ?? 0}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <ActionButton
        id="apply-reverse"
        label="Turn it round"
        icon={ArrowsDownUp}
        look="strong"
        disabled={change.isPending}
        run={() => {
          addSteps({ do: "reverse", variables: [variable.name], suffix: suffix || null }).then(done, () => {});
        }}
      />
    </div>
  );
}
