import { useState } from "react";
import type { Schema } from "../../api/client";
import { Choice, Field, Tick } from "../../parts/fields";
import { plural } from "../../parts/figures";
import { NumberField } from "../../parts/number-field";
import { PickMany } from "../../parts/pick-many";

type Design = Schema["Design"];
type Method = NonNullable<Design["variance"]>;
type Given = Extract<Method, { method: "columns" }>;

const METHODS = [
  ["linearised", "linearisation (Taylor series)"],
  ["jackknife", "jackknife: each first-stage unit left out in turn"],
  ["bootstrap", "bootstrap of first-stage units"],
  ["balanced", "balanced repeated replication, two units per stratum"],
  ["columns", "replicate weights that came with the file"],
] as const;

/** Names that a run of replicate weights has: those that start like one and end in a number. */
function alike(name: string, numbers: readonly string[]) {
  const stem = name.replace(/\d+$/, "");
  return numbers.filter((n) => n.replace(/\d+$/, "") === stem && n !== stem);
}

/** Given replicate weights: which, and what each squared difference counts. */
function Columns({ held, numbers, save }: { held: Given | null; numbers: string[]; save: (to: Method) => void }) {
  const [columns, setColumns] = useState<string[]>(held?.columns ?? []);
  const [scale, setScale] = useState<Given["scale"] | null>(held?.scale ?? null);
  const each = Array.isArray(scale);
  const keep = (names: string[], counts: Given["scale"] | null) => {
    setColumns(names);
    setScale(counts);
    if (names.length > 1 && counts) save({ method: "columns", columns: names, scale: counts });
  };
  const add = (to: string[]) => {
    const fresh = to.filter((n) => !columns.includes(n));
    const run = fresh.length === 1 && !columns.length ? alike(fresh[0] as string, numbers) : [];
    keep(run.length > 1 ? run : to, scale);
  };
  return (
    <>
      <PickMany
        id="replicate-columns"
        label="Replicate weights"
        chosen={columns}
        options={numbers}
        change={add}
        hint="Choose the first; the rest of its numbered series is added."
      />
      <Field
        label="Coefficient of each squared difference"
        hint="As the documentation of the file says, such as 1 / replicates."
      >
        {(p) =>
          each ? (
            <p id={p.id} className="text-sm">
              {plural(scale.length, "number")}, one for each, as the study file says
            </p>
          ) : (
            <NumberField {...p} value={scale} fits={(n) => n > 0} take={(n) => keep(columns, n)} />
          )
        }
      </Field>
    </>
  );
}

/** How standard errors are made, and whether they know of the raking. */
export function MethodForm({
  design,
  numbers,
  raked,
  save,
}: {
  design: Design;
  numbers: string[];
  raked: boolean;
  save: (parts: Partial<Design>) => void;
}) {
  const held: Method = design.variance ?? { method: "linearised" };
  const [method, setMethod] = useState<string>(held.method ?? "linearised");
  const pick = (to: string) => {
    setMethod(to);
    if (to === "linearised") save({ variance: { method: "linearised" }, save_replicates: false });
    if (to === "jackknife") save({ variance: { method: "jackknife" } });
    if (to === "bootstrap") save({ variance: { method: "bootstrap", count: 500, seed: 1 } });
    if (to === "balanced") save({ variance: { method: "balanced", fay: 0 } });
  };
  return (
    <>
      <Field label="Standard errors by">
        {(p) => (
          <Choice {...p} className="!w-96" value={method} onChange={(e) => pick(e.target.value)} options={METHODS} />
        )}
      </Field>
      {held.method === "bootstrap" && (
        <div className="flex gap-4">
          <Field label="Replicates">
            {(p) => (
              <NumberField
                {...p}
                value={held.count}
                empty={false}
                fits={(n) => n >= 2 && n <= 100_000 && Number.isInteger(n)}
                take={(n) => n && save({ variance: { ...held, count: n } })}
              />
            )}
          </Field>
          <Field label="Seed" hint="The same seed draws the same replicates.">
            {(p) => (
              <NumberField
                {...p}
                value={held.seed}
                empty={false}
                fits={(n) => Number.isInteger(n)}
                take={(n) => n != null && save({ variance: { ...held, seed: n } })}
              />
            )}
          </Field>
        </div>
      )}
      {held.method === "balanced" && (
        <Field label="Fay factor" hint="With 0, the half sample left out gets no weight.">
          {(p) => (
            <NumberField
              {...p}
              value={held.fay}
              fits={(n) => n >= 0 && n < 1}
              take={(n) => save({ variance: { ...held, fay: n ?? 0 } })}
            />
          )}
        </Field>
      )}
      {method === "columns" && (
        <Columns
          held={held.method === "columns" ? held : null}
          numbers={numbers}
          save={(to) => save({ variance: to, ...(design.calibrated ? { calibrated: false } : {}) })}
        />
      )}
      {["jackknife", "bootstrap", "balanced"].includes(held.method ?? "") && (
        <Tick
          label="Save the replicate weights with the records"
          checked={design.save_replicates ?? false}
          onChange={(e) => save({ save_replicates: e.target.checked })}
        />
      )}
      <Tick
        label="Account for raking (calibrated)"
        checked={design.calibrated ?? false}
        disabled={!design.calibrated && (!raked || method === "columns")}
        onChange={(e) => save({ calibrated: e.target.checked })}
      />
      <p className="text-soft text-xs">
        {!raked
          ? "Once there is a raked weight: what its margins fix is then no longer counted as uncertain."
          : method === "columns"
            ? "Replicate weights that came with a file are used as they are."
            : "What the margins fix is then no longer counted as uncertain: by residuals, or by raking every replicate again."}
      </p>
    </>
  );
}
