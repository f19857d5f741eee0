import { useState } from "react";
import type { Schema, Step } from "../../api/client";
import { Choice, Field } from "../../parts/fields";
import { FormulaField } from "../../parts/formula";
import { TakeStep, useTrial } from "../../parts/trial";

/** Blanks are given a code, usually one that means no answer; for all cases, or for those a condition is true of. */
export function FillBlankForm({
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
  const codes = [...(scale?.missing ?? []), ...(view.variable.missing ?? []), ...(scale?.codes ?? [])];
  const [code, setCode] = useState("");
  const [where, setWhere] = useState("");
  const step: Step | null =
    code === ""
      ? null
      : {
          do: "fill_blank",
          variables: views.map((v) => v.variable.name),
          code: Number(code),
          where: where.trim() || null,
        };
  const { trial } = useTrial({ step });
  return (
    <div>
      <Field
        label="Blank cells take the code"
        hint={codes.length ? undefined : "Give the variable codes that mean no answer first, under About."}
      >
        {(p) => (
          <Choice
            {...p}
            className="!w-80"
            value={code}
            onChange={(e) => setCode(e.target.value)}
            options={[["", "choose …"], ...codes.map((c) => [String(c.code), `${c.code}  ${c.label}`] as const)]}
          />
        )}
      </Field>
      <FormulaField
        label="Only where (optional)"
        rows={1}
        value={where}
        change={setWhere}
        faults={(trial?.faults ?? []).filter((f) => f.where === "where")}
        hint="For example tenure == 2"
      />
      <TakeStep id="apply-fill" label="Give blanks this code" step={step} done={done} />
    </div>
  );
}
