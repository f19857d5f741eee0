import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, got, type Schema } from "../../api/client";
import { useSaved } from "../../api/queries";
import { Choice, Field } from "../../parts/fields";
import { count, decimals, plainly } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { NumberField } from "../../parts/number-field";

type Wanted = Schema["Wanted"];

const SHARES = ["col_pct", "row_pct", "total_pct"];
/** The figures that have a design effect. */
export const APART = [...SHARES, "mean"];

const PARTS: readonly (readonly [key: keyof Schema["DeffParts"], label: string, says: string])[] = [
  ["weights", "Unequal weights", "as they bear on this figure"],
  ["clusters", "First-stage units", "cases of one unit are alike"],
  ["strata", "Strata", "units were drawn within them"],
  ["population", "Finite population", "a good part of all units was drawn"],
  ["calibration", "Raking", "what the margins fix"],
];

function Product({ parts }: { parts: Schema["DeffParts"] }) {
  const shown = PARTS.filter(([key]) => key === "weights" || Math.abs((parts[key] as number) - 1) > 1e-9);
  const most = Math.max(...shown.map(([key]) => Math.abs(Math.log(parts[key] as number))), 0.1);
  return (
    <table className="figures mt-1 text-sm">
      <caption className="text-left text-soft text-xs">
        The design effect as a product of factors: above 1 lowers the effective sample size, below 1 raises it.
      </caption>
      <tbody>
        {shown.map(([key, label, says]) => {
          const value = parts[key] as number;
          const width = `${(50 * Math.abs(Math.log(value))) / most}%`;
          return (
            <tr key={key}>
              <th scope="row" className="pr-4 text-left font-normal">
                {label} <span className="text-soft text-xs">{says}</span>
              </th>
              <td className="w-40">
                <span className="relative block h-2.5" aria-hidden>
                  <span className="absolute inset-y-0 left-1/2 w-px bg-rule" />
                  <span
                    className={`absolute inset-y-0 ${value > 1 ? "left-1/2 bg-heed" : "right-1/2 bg-act"}`}
                    style={{ width }}
                  />
                </span>
              </td>
              <td className="pl-4 text-right">× {decimals(value, 3)}</td>
            </tr>
          );
        })}
        <tr className="border-hair border-t">
          <th scope="row" className="pr-4 text-left font-semibold">
            Design effect
          </th>
          <td />
          <td className="pl-4 text-right font-semibold">{decimals(parts.deff, 3)}</td>
        </tr>
      </tbody>
    </table>
  );
}

function Plans({ plans }: { plans: readonly Schema["Plan"][] }) {
  const costs = plans.flatMap((p) => (p.cost == null ? [] : [p.cost]));
  const least = costs.length ? Math.min(...costs) : null;
  return (
    <table className="figures mt-2 text-right text-sm">
      <thead className="font-serif">
        <tr className="border-rule border-y">
          <th className="py-0.5 pr-6 text-left font-semibold">Cases in a unit</th>
          <th className="pr-6 font-semibold">Design effect</th>
          <th className="pr-6 font-semibold">Units</th>
          <th className="pr-6 font-semibold">Cases</th>
          {least != null && <th className="font-semibold">Cost</th>}
        </tr>
      </thead>
      <tbody>
        {plans.map((plan) => (
          <tr key={plan.per_unit} className={plan.cost != null && plan.cost === least ? "font-semibold" : ""}>
            <td className="pr-6 text-left">{count(plan.per_unit)}</td>
            <td className="pr-6">{decimals(plan.deff, 2)}</td>
            <td className="pr-6">{count(plan.units)}</td>
            <td className="pr-6">{count(plan.cases)}</td>
            {plan.cost != null && (
              <td>
                {plan.cost === least ? "least: " : ""}
                {count(Math.round(plan.cost))}
              </td>
            )}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Where a figure's design effect comes from, and how large another sample has to be. */
export function Planner({ table, cell }: { table: string; cell: Schema["Cell"] }) {
  const study = useSaved();
  const share = SHARES.includes(cell.stat);
  const times = share ? 100 : 1;
  const [aim, setAim] = useState<"half_width" | "difference">("half_width");
  const [size, setSize] = useState<number | null>(share ? 3 : null);
  const [costs, setCosts] = useState<{ case_cost: number | null; unit_cost: number | null }>({
    case_cost: null,
    unit_cost: null,
  });
  const wanted: Wanted | null = size ? { [aim]: size / times, ...costs } : null;
  const { data, error } = useQuery({
    queryKey: ["design-effect", study.id, study.edition, table, cell.stub, cell.banner, cell.stat, wanted],
    placeholderData: keepPreviousData,
    queryFn: ({ signal }) =>
      got(
        api.POST("/api/v1/studies/{study_id}/tables/{table_id}/design-effect", {
          params: { path: { study_id: study.id, table_id: table } },
          body: { stub: cell.stub, banner: cell.banner, stat: cell.stat, wanted } as never,
          signal,
        }),
      ),
  });
  if (error) return <Faults faults={[{ what: error.message, where: "", mend: "" }]} />;
  if (!data) return <p className="text-soft text-sm">Calculating …</p>;
  const { parts } = data;
  return (
    <section aria-label="The design effect" className="mt-2 border-hair border-t pt-2">
      <Product parts={parts} />
      <p className="mt-1 text-sm">
        Unequal weights alone would make it {decimals(parts.kish, 2)} for any figure (Kish).
        {parts.rho != null &&
          ` Cases of one first-stage unit, ${decimals(parts.per_unit, 1)} on average, have an intraclass correlation of ${decimals(parts.rho, 3)}.`}
      </p>
      <h3 className="mt-3 font-semibold font-serif">Another sample like this one</h3>
      <div className="flex flex-wrap items-end gap-4">
        <Field label="Aim">
          {(p) => (
            <Choice
              {...p}
              value={aim}
              options={[
                ["half_width", "the figure, with a margin of error of"],
                ["difference", "a difference between two halves of the sample, of"],
              ]}
              onChange={(e) => setAim(e.target.value as typeof aim)}
            />
          )}
        </Field>
        <Field label={share ? "In points" : "Size"}>
          {(p) => <NumberField {...p} className="!w-24" value={size} fits={(n) => n > 0} take={setSize} />}
        </Field>
        <Field label="Cost of a case">
          {(p) => (
            <NumberField
              {...p}
              className="!w-24"
              value={costs.case_cost}
              fits={(n) => n >= 0}
              take={(n) => setCosts({ ...costs, case_cost: n })}
            />
          )}
        </Field>
        <Field label="Cost of a unit">
          {(p) => (
            <NumberField
              {...p}
              className="!w-24"
              value={costs.unit_cost}
              fits={(n) => n >= 0}
              take={(n) => setCosts({ ...costs, unit_cost: n })}
            />
          )}
        </Field>
      </div>
      {size != null && data.plans.length > 0 && (
        <>
          <Plans plans={data.plans} />
          <p className="text-soft text-xs">
            At the 95 % level
            {aim === "difference"
              ? `, with 80 % power for a difference of ${plainly(size)} between the two halves`
              : ""}
            . Weights, strata and intraclass correlation as here; no finite population correction.
          </p>
        </>
      )}
    </section>
  );
}
