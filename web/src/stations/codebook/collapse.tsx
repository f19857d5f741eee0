import { useState } from "react";
import type { Schema, Step } from "../../api/client";
import { Choice, TextInput } from "../../parts/fields";
import { count } from "../../parts/figures";
import { TakeStep } from "../../parts/trial";
import { Named } from "./named";

/** Fewer categories: each answer is given to a new one; answers given to none are blank. */
export function CollapseForm({ view, done }: { view: Schema["VariableView"]; done: () => void }) {
  const { variable } = view;
  const [into, setInto] = useState(`${variable.name}_groups`.slice(0, 40));
  const [label, setLabel] = useState(variable.label ?? "");
  const [names, setNames] = useState<string[]>(["", ""]);
  const [group, setGroup] = useState<Record<number, string>>({});
  const answers = view.answers.filter((a) => a.code != null);
  const groups = names
    .map((name, i) => ({
      code: i + 1,
      label: name.trim() || `Group ${i + 1}`,
      from: answers.flatMap((a) => (group[a.code ?? 0] === String(i) ? [a.code ?? 0] : [])),
    }))
    .filter((g) => g.from.length);
  const step: Step | null =
    groups.length && into ? { do: "collapse", variable: variable.name, into, label: label || null, groups } : null;
  return (
    <div>
      <Named into={into} setInto={setInto} label={label} setLabel={setLabel} />
      <p className="mt-2 font-semibold text-sm">The new categories</p>
      <div className="flex flex-wrap gap-2">
        {[...names, ""].map((name, i) => (
          <TextInput
            // biome-ignore lint/suspicious/noArrayIndexKey: a category is its place
            key={i}
            aria-label={`Category ${i + 1}`}
            className="!w-52"
            placeholder={i === names.length ? "one more" : `Group ${i + 1}`}
            value={name}
            onChange={(e) => setNames([...names.slice(0, i), e.target.value, ...names.slice(i + 1)])}
          />
        ))}
      </div>
      <p className="mt-3 font-semibold text-sm">Where each answer goes</p>
      <table className="text-sm">
        <tbody>
          {answers.map((a) => (
            <tr key={a.code} className="border-hair border-b">
              <td className="figures pr-2 text-right text-soft">{a.code}</td>
              <td className="max-w-80 truncate pr-4 font-serif">{a.label}</td>
              <td className="figures pr-4 text-right text-soft">{count(a.cases)}</td>
              <td className="w-56 py-0.5">
                <Choice
                  aria-label={`Where “${a.label}” goes`}
                  value={group[a.code ?? 0] ?? ""}
                  onChange={(e) => setGroup({ ...group, [a.code ?? 0]: e.target.value })}
                  options={[
                    ["", "none (blank)"],
                    ...names.map((name, i) => [String(i), name.trim() || `Group ${i + 1}`] as const),
                  ]}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      <TakeStep id="apply-collapse" label="Create variable" step={step} done={done} />
    </div>
  );
}
