import { LinkSimple, Plus } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useCodebook } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, Tick } from "../../parts/fields";
import { Sub } from "../../parts/panes";
import { Ticks } from "../../parts/ticks";
import { TakeStep } from "../../parts/trial";

interface Key {
  theirs: string;
  ours: string;
}

/** Keys as the step says them: a name alone where both go by it. */
const keyed = (keys: readonly Key[]) => {
  const [first] = keys;
  if (keys.length === 1 && first && first.ours === first.theirs) return first.ours;
  return Object.fromEntries(keys.map((k) => [k.ours, k.theirs]));
};

/** Joins columns of a file to the cases: key against key, columns to take. */
export function LookUpForm({ name, file }: { name: string; file: Schema["FilePreview"] }) {
  const data = useCodebook();
  const columns = file.columns.map((c) => c.name);
  const nearest = (column: string) =>
    (
      data.variables.find((v) => v.variable.name === column) ??
      data.variables.find((v) => v.variable.name.includes(column))
    )?.variable.name ?? "";
  const [keys, setKeys] = useState<readonly Key[]>(() => [
    { theirs: columns[0] ?? "", ours: nearest(columns[0] ?? "") },
  ]);
  const put = (at: number, to: Partial<Key>) => setKeys(keys.map((key, i) => (i === at ? { ...key, ...to } : key)));
  const there = new Set(data.variables.map((v) => v.variable.name));
  const free = columns.filter((c) => !keys.some((k) => k.theirs === c) && !there.has(c));
  const [left, setLeft] = useState<string[]>([]);
  const take = free.filter((c) => !left.includes(c));
  return (
    <section aria-label="Look up" className="mb-6 max-w-3xl">
      <Sub>Join these columns to the cases</Sub>
      {keys.map((key, at) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: a key has no other name than its place
        <div key={at} className="grid grid-cols-2 gap-4">
          <Field label={at ? "and this column" : "Key column in the file"}>
            {(p) => (
              <Choice
                {...p}
                value={key.theirs}
                onChange={(e) => put(at, { theirs: e.target.value, ours: nearest(e.target.value) })}
                options={columns.map((c) => [c, c])}
              />
            )}
          </Field>
          <Field label={at ? "is the same as" : "is the same as this variable"}>
            {(p) => (
              <Choice
                {...p}
                value={key.ours}
                onChange={(e) => put(at, { ours: e.target.value })}
                options={[["", "choose …"], ...data.variables.map((v) => [v.variable.name, v.variable.name] as const)]}
              />
            )}
          </Field>
        </div>
      ))}
      <ActionButton
        id="add-key"
        label="Add another key"
        icon={Plus}
        look="quiet"
        run={() => {
          const next = columns.find((c) => !keys.some((k) => k.theirs === c)) ?? "";
          setKeys([...keys, { theirs: next, ours: nearest(next) }]);
        }}
      />
      {keys.length > 1 && (
        <ActionButton id="drop-key" label="Remove the last key" look="quiet" run={() => setKeys(keys.slice(0, -1))} />
      )}
      <fieldset className="my-2">
        <legend className="font-semibold text-sm">Columns to take</legend>
        <Ticks>
          {free.map((c) => (
            <Tick
              key={c}
              label={c}
              checked={!left.includes(c)}
              onChange={(e) => setLeft(e.target.checked ? left.filter((x) => x !== c) : [...left, c])}
            />
          ))}
        </Ticks>
        {!free.length && <p className="text-soft text-sm">All its columns have been taken already.</p>}
      </fieldset>
      <TakeStep
        id="look-up"
        label="Join columns"
        icon={LinkSimple}
        step={
          keys.every((k) => k.ours && k.theirs) && take.length
            ? { do: "look_up", from: name, on: keyed(keys), take, missing: "refuse" }
            : null
        }
        done={() => {}}
      />
    </section>
  );
}
