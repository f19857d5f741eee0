import { X } from "@phosphor-icons/react";
import { ActionButton } from "./actions";
import { Choice, Field } from "./fields";

/** Some names chosen from many, in order. */
export function PickMany({
  id,
  label,
  chosen,
  options,
  change,
  hint,
}: {
  id: string;
  label: string;
  chosen: readonly string[];
  options: readonly string[];
  change: (to: string[]) => void;
  hint?: string;
}) {
  const left = options.filter((o) => !chosen.includes(o));
  return (
    <Field label={label} hint={hint}>
      {(p) => (
        <div className="flex flex-wrap items-center gap-1">
          {chosen.map((name) => (
            <span key={name} className="inline-flex items-center rounded bg-wash pl-2 text-sm">
              {name}
              <ActionButton
                id={`${id}-without-${name}`}
                label={`${label}: without ${name}`}
                icon={X}
                bare
                look="quiet"
                run={() => change(chosen.filter((c) => c !== name))}
              />
            </span>
          ))}
          <Choice
            {...p}
            className="!w-44"
            value=""
            onChange={(e) => e.target.value && change([...chosen, e.target.value])}
            options={[["", chosen.length ? "add …" : "choose …"], ...left.map((o) => [o, o] as const)]}
          />
        </div>
      )}
    </Field>
  );
}
