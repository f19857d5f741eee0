import { LinkSimple } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useCodebook } from "../../api/queries";
import { Choice, Field, Tick } from "../../parts/fields";
import { Sub } from "../../parts/panes";
import { TakeStep } from "../../parts/trial";

/** Joins columns of a file to the cases: key against key, columns to take. */
export function LookUpForm({ name, file }: { name: string; file: Schema["FilePreview"] }) {
  const data = useCodebook();
  const columns = file.columns.map((c) => c.name);
  const [theirs, setTheirs] = useState(columns[0] ?? "");
  const close =
    data.variables.find((v) => v.variable.name === theirs) ??
    data.variables.find((v) => v.variable.name.includes(theirs));
  const [ours, setOurs] = useState(close?.variable.name ?? "");
  const there = new Set(data.variables.map((v) => v.variable.name));
  const free = columns.filter((c) => c !== theirs && !there.has(c));
  const [left, setLeft] = useState<string[]>([]);
  const take = free.filter((c) => !left.includes(c));
  return (
    <section aria-label="Look up" className="mb-6 max-w-3xl">
      <Sub>Look these columns up for every case</Sub>
      <div className="grid grid-cols-2 gap-4">
        <Field label="Where this column of the file">
          {(p) => (
            <Choice
              {...p}
              value={theirs}
              onChange={(e) => setTheirs(e.target.value)}
              options={columns.map((c) => [c, c])}
            />
          )}
        </Field>
        <Field label="is the same as this variable">
          {(p) => (
            <Choice
              {...p}
              value={ours}
              onChange={(e) => setOurs(e.target.value)}
              options={[["", "choose …"], ...data.variables.map((v) => [v.variable.name, v.variable.name] as const)]}
            />
          )}
        </Field>
      </div>
      <fieldset className="my-2">
        <legend className="font-semibold text-sm">Columns to take</legend>
        {free.map((c) => (
          <Tick
            key={c}
            label={c}
            checked={!left.includes(c)}
            onChange={(e) => setLeft(e.target.checked ? left.filter((x) => x !== c) : [...left, c])}
          />
        ))}
        {!free.length && <p className="text-soft text-sm">All its columns have been taken already.</p>}
      </fieldset>
      <TakeStep
        id="look-up"
        label="Look them up"
        icon={LinkSimple}
        step={
          ours && take.length
            ? { do: "look_up", from: name, on: ours === theirs ? ours : { [ours]: theirs }, take, missing: "refuse" }
            : null
        }
        done={() => {}}
      />
    </section>
  );
}
