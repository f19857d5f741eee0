import { Check } from "@phosphor-icons/react";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { useChange, useCodebook, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Field, TextInput } from "../../parts/fields";

const NAME = /^[A-Za-z_]\w*$/;

export function RenameForm({ name }: { name: string }) {
  const study = useStudy();
  const { addSteps, change } = useChange();
  const navigate = useNavigate();
  const [to, setTo] = useState(name);
  const taken = useCodebook().variables.some((v) => v.variable.name === to && to !== name);
  const wrong = !NAME.test(to)
    ? "Use letters, digits and _, starting with a letter, so that formulas can use the name."
    : taken
      ? `A variable ${to} already exists.`
      : undefined;
  return (
    <div>
      <Field label="New name" wrong={wrong}>
        {(p) => <TextInput {...p} className="!w-80" value={to} onChange={(e) => setTo(e.target.value)} />}
      </Field>
      <ActionButton
        id="apply-rename"
        label="Rename it"
        icon={Check}
        look="strong"
        disabled={Boolean(wrong) || to === name || change.isPending}
        run={() => {
          addSteps({ do: "rename", names: { [name]: to } }).then(
            () => navigate({ to: "/study/$id/codebook/{-$item}", params: { id: study.id, item: to } }),
            () => {},
          );
        }}
      />
    </div>
  );
}
