import { useState } from "react";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextInput, Tick } from "../../parts/fields";
import { count, decimals } from "../../parts/figures";
import { FormulaField } from "../../parts/formula";
import { Faults } from "../../parts/notices";
import { NumberField } from "../../parts/number-field";
import { Heading, Sub } from "../../parts/panes";
import { PickMany } from "../../parts/pick-many";
import { faultsAt, nameOf, type Report, useWeighting, type Weighting } from "./weights";

type Product = Schema["ProductBase"];
type Kind = "none" | "column" | "stratum" | "product";

const KINDS = [
  ["none", "1 for every case"],
  ["column", "a variable"],
  ["stratum", "stratum population ÷ its cases"],
  ["product", "a product of variables"],
] as const;

/** What a base says in the form: a product of one variable is that variable, divided or rescaled. */
function readBase(base: Weighting["base"]): { kind: Kind; product: Product; people: string; by: string[] } {
  const nothing = { product: { times: [], over: [] }, people: "", by: [] };
  if (base == null) return { ...nothing, kind: "none" };
  if (typeof base === "string") return { ...nothing, kind: "column", product: { times: [base], over: [] } };
  if ("stratum_population" in base)
    return { ...nothing, kind: "stratum", people: base.stratum_population, by: [...base.by] };
  const product = base as Product;
  const alone = product.times?.length === 1 && !product.over?.length;
  return { ...nothing, kind: alone ? "column" : "product", product };
}

/** The shortest way to say a product in a study file. */
function writeProduct(product: Product): Weighting["base"] {
  const { times = [], over = [], divided_by = 1, sum_to = null } = product;
  return times.length === 1 && !over.length && divided_by === 1 && sum_to == null ? (times[0] as string) : product;
}

function Rescaled({ product, save }: { product: Product; save: (to: Product) => void }) {
  const sum = product.sum_to;
  const kind = sum == null ? "" : typeof sum === "number" ? "number" : "cases";
  return (
    <div className="flex flex-wrap items-start gap-4">
      <Field label="Divided by">
        {(p) => (
          <NumberField
            {...p}
            value={product.divided_by ?? 1}
            fits={(n) => n > 0}
            take={(n) => save({ ...product, divided_by: n ?? 1 })}
          />
        )}
      </Field>
      <Field label="Base weights add up to">
        {(p) => (
          <Choice
            {...p}
            className="!w-56"
            value={kind}
            onChange={(e) =>
              save({
                ...product,
                sum_to: e.target.value === "" ? null : e.target.value === "cases" ? "cases" : 1000,
              })
            }
            options={[
              ["", "what they are"],
              ["cases", "the number of cases"],
              ["number", "a number"],
            ]}
          />
        )}
      </Field>
      {typeof sum === "number" && (
        <Field label="Which number">
          {(p) => (
            <NumberField
              {...p}
              className="!w-32"
              value={sum}
              empty={false}
              fits={(n) => n > 0}
              take={(n) => n && save({ ...product, sum_to: n })}
            />
          )}
        </Field>
      )}
    </div>
  );
}

function Base({ at, numbers, names }: { at: number; numbers: string[]; names: string[] }) {
  const { weighting, save, pending } = useWeighting(at);
  const held = readBase(weighting.base);
  const [kind, setKind] = useState<Kind>(held.kind);
  const [people, setPeople] = useState(held.people);
  const [by, setBy] = useState(held.by);
  const product = held.kind === kind ? held.product : { times: [], over: [] };
  const keep = (to: Product) =>
    save({ base: (to.times?.length ?? 0) + (to.over?.length ?? 0) ? writeProduct(to) : null });
  const stratum = (population: string, strata: string[]) => {
    setPeople(population);
    setBy(strata);
    if (population && strata.length) save({ base: { stratum_population: population, by: strata } });
  };
  return (
    <>
      <Field label="Base weight">
        {(p) => (
          <Choice
            {...p}
            className="!w-72"
            disabled={pending}
            value={kind}
            onChange={(e) => {
              setKind(e.target.value as Kind);
              if (e.target.value === "none") save({ base: null });
            }}
            options={KINDS}
          />
        )}
      </Field>
      {kind === "column" && (
        <>
          <Field label="Variable">
            {(p) => (
              <Choice
                {...p}
                className="!w-72"
                value={product.times?.[0] ?? ""}
                onChange={(e) => keep({ ...product, times: e.target.value ? [e.target.value] : [] })}
                options={[["", "choose …"], ...numbers.map((n) => [n, n] as const)]}
              />
            )}
          </Field>
          {product.times?.length ? <Rescaled product={product} save={keep} /> : null}
        </>
      )}
      {kind === "stratum" && (
        <>
          <Field label="People in the stratum" hint="A variable with one number for all cases of a stratum.">
            {(p) => (
              <Choice
                {...p}
                className="!w-72"
                value={people}
                onChange={(e) => stratum(e.target.value, by)}
                options={[["", "choose …"], ...numbers.map((n) => [n, n] as const)]}
              />
            )}
          </Field>
          <PickMany
            id="base-strata"
            label="Strata"
            chosen={by}
            options={names}
            change={(strata) => stratum(people, strata)}
          />
        </>
      )}
      {kind === "product" && (
        <>
          <PickMany
            id="base-times"
            label="Times"
            chosen={product.times ?? []}
            options={numbers}
            change={(times) => keep({ ...product, times })}
            hint="Weights of earlier stages, adjustments."
          />
          <PickMany
            id="base-over"
            label="Divided by selection probabilities"
            chosen={product.over ?? []}
            options={numbers}
            change={(over) => keep({ ...product, over })}
            hint="Chances of selection, stage by stage: each is above 0."
          />
          <Rescaled product={product} save={keep} />
        </>
      )}
    </>
  );
}

function NonResponse({
  at,
  report,
  coded,
  faults,
}: {
  at: number;
  report?: Report;
  coded: string[];
  faults: readonly Schema["Fault"][];
}) {
  const { weighting, save } = useWeighting(at);
  const held = weighting.nonresponse;
  const [on, setOn] = useState(held != null);
  const [responded, setResponded] = useState(held?.responded ?? "");
  const cells = held?.cells ?? [];
  const smallest = held?.smallest ?? 20;
  return (
    <>
      <Tick
        label="Adjust for non-response"
        checked={on}
        onChange={(e) => {
          setOn(e.target.checked);
          if (!e.target.checked && held) save({ nonresponse: null });
        }}
      />
      {on && (
        <div className="mt-2 ml-6 max-w-xl">
          <FormulaField
            label="Who answered"
            hint="A condition, such as status == 'Complete'. The others get weight 0."
            value={responded}
            change={setResponded}
            faults={faults.filter((f) => f.where?.includes("responded"))}
          />
          <ActionButton
            id="take-responded"
            label="Adjust"
            look="strong"
            disabled={!responded.trim() || responded === held?.responded}
            run={() => save({ nonresponse: { responded, cells, smallest } })}
          />
          {held && (
            <>
              <PickMany
                id="cells"
                label="Adjustment cells"
                chosen={cells}
                options={coded}
                change={(to) => save({ nonresponse: { ...held, cells: to } })}
                hint="Within a cell, those who answered stand for those who did not. Empty: one cell of all cases."
              />
              <Field label="Flag cells with fewer respondents than">
                {(p) => (
                  <NumberField
                    {...p}
                    value={smallest}
                    empty={false}
                    fits={(n) => n >= 1 && Number.isInteger(n)}
                    take={(n) => n && save({ nonresponse: { ...held, smallest: n } })}
                  />
                )}
              </Field>
            </>
          )}
        </div>
      )}
      <Faults faults={faults.filter((f) => !f.where?.includes("responded"))} />
      {report?.nonresponse && (
        <table className="mt-2 text-sm">
          <thead>
            <tr className="border-rule border-y text-right font-serif">
              <th className="py-1 pr-8 text-left font-semibold">Cell</th>
              <th className="w-24 font-semibold">Answered</th>
              <th className="w-24 font-semibold">Did not answer</th>
              <th className="w-24 font-semibold">Factor</th>
            </tr>
          </thead>
          <tbody className="figures">
            {report.nonresponse.map((cell) => (
              <tr key={cell.label} className="text-right">
                <td className="pr-8 text-left">
                  {cell.label}
                  {cell.small && <span className="pl-2 text-heed">▲ small</span>}
                </td>
                <td>{count(cell.responded)}</td>
                <td>{count(cell.silent)}</td>
                <td>{decimals(cell.factor, 3)}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </>
  );
}

/** What a weighting begins with and how it is done: base weight, non-response, groups, scale, name. */
export function Begin({
  at,
  codebook,
  report,
  faults,
}: {
  at: number;
  codebook: Schema["CodebookView"];
  report?: Report;
  faults: readonly Schema["Fault"][];
}) {
  const { study, weighting, save, rename, pending } = useWeighting(at);
  const earlier = (study.document.weightings ?? []).slice(0, at).map(nameOf);
  const of = (...kinds: string[]) =>
    codebook.variables.filter((v) => kinds.includes(v.variable.kind)).map((v) => v.variable.name);
  const counted = (weighting.margins ?? []).some((m) => m.as === "counts");
  const scale = typeof weighting.scale_to === "number" ? "number" : (weighting.scale_to ?? "cases");
  const { own, others } = faultsAt(faults, `weightings[${at}].nonresponse`);
  const name = nameOf(weighting);
  const [asked, setAsked] = useState(name);
  return (
    <div className="max-w-3xl">
      <Heading over={`Weighting, ${name}`}>What it begins with</Heading>
      <Faults faults={others.filter((f) => !f.where?.includes("margins["))} />
      <Base at={at} numbers={[...earlier, ...of("number")]} names={of("coded", "number", "text")} />
      <Sub>Non-response</Sub>
      <NonResponse at={at} report={report} coded={of("coded")} faults={own} />
      <Sub>Raking and scale</Sub>
      <PickMany
        id="within"
        label="Separately within"
        chosen={weighting.within ?? []}
        options={of("coded")}
        change={(within) => save({ within })}
        hint="Each group is raked alone; a margin may then have targets of its own for each."
      />
      <div className="flex flex-wrap items-start gap-4">
        <Field
          label="Final weights add up to"
          hint={counted ? undefined : "To weight to the population, give a margin in counts."}
        >
          {(p) => (
            <Choice
              {...p}
              className="!w-56"
              value={scale}
              disabled={pending}
              onChange={(e) =>
                save({ scale_to: e.target.value === "number" ? 1000 : (e.target.value as "cases" | "population") })
              }
              options={[
                ["cases", "the number of cases"],
                ...(counted ? ([["population", "the population"]] as const) : []),
                ["number", "a number"],
              ]}
            />
          )}
        </Field>
        {typeof weighting.scale_to === "number" && (
          <Field label="Which number">
            {(p) => (
              <NumberField
                {...p}
                className="!w-32"
                value={weighting.scale_to as number}
                empty={false}
                fits={(n) => n > 0}
                take={(n) => n && save({ scale_to: n })}
              />
            )}
          </Field>
        )}
        <Field label="Saved as the variable">
          {(p) => (
            <TextInput
              {...p}
              className="!w-40"
              value={asked}
              onChange={(e) => setAsked(e.target.value)}
              onBlur={() => asked.trim() && asked.trim() !== name && rename(asked.trim())}
              onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
            />
          )}
        </Field>
      </div>
      <div className="flex flex-wrap items-start gap-4">
        <Field label="Tolerance (largest gap)" hint="As a share of the whole.">
          {(p) => (
            <NumberField
              {...p}
              value={weighting.tolerance ?? 1e-10}
              empty={false}
              fits={(n) => n > 0 && n < 0.1}
              take={(n) => n && save({ tolerance: n })}
            />
          )}
        </Field>
        <Field label="Maximum cycles">
          {(p) => (
            <NumberField
              {...p}
              value={weighting.max_cycles ?? 1000}
              empty={false}
              fits={(n) => n >= 1 && Number.isInteger(n)}
              take={(n) => n && save({ max_cycles: n })}
            />
          )}
        </Field>
      </div>
    </div>
  );
}
