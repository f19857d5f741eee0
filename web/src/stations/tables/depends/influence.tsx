import { Link } from "@tanstack/react-router";
import type { Schema } from "../../../api/client";
import { useInfluence } from "../../../api/depends";
import { useSaved } from "../../../api/queries";
import { count, decimals, percent, plural } from "../../../parts/figures";
import { Faults } from "../../../parts/notices";
import { Bar, Sub } from "../../../parts/panes";
import { Columns } from "./standing";
import { isShare, type Published, printer, signed } from "./words";

type Unit = Schema["InfluentialUnit"];

const COLUMNS = [
  ["Which", "words"],
  ["Stratum", "words"],
  ["As a bar", "drawn", "w-40"],
  ["in se", "number"],
  ["Figure without", "number"],
  ["Change", "number"],
] as const;

/** Standard errors from which one case is said to carry the figure. */
const HEAVY = 0.5;

/** What carries a figure, in words. */
export function saysInfluence(found: Schema["Influence"], cell: Published): string {
  const first = found.cases[0];
  if (!first) return "No case moves this figure.";
  const figure = printer(cell);
  const unit = isShare(cell) ? " %" : "";
  const without = first.without == null ? "" : `: without it the figure would be ${figure(first.without)}${unit}`;
  const stratum = found.strata[0];
  const from =
    stratum && found.strata.length > 1
      ? ` ${percent(stratum.share, 0)} % of the variance comes from ${stratum.name}.`
      : "";
  return `The most influential case, record ${count(first.records[0] ?? 0)}, contributes ${decimals(Math.abs(first.in_se ?? 0), 2)} standard errors to it${without}.${from}`;
}

function Units({
  units,
  cell,
  caption,
  one,
}: {
  units: readonly Unit[];
  cell: Published;
  caption: string;
  one: (u: Unit) => React.ReactNode;
}) {
  const figure = printer(cell);
  const most = Math.max(...units.map((u) => Math.abs(u.in_se ?? 0)), 1e-12);
  return (
    <table className="w-full max-w-5xl text-sm">
      <caption className="pb-1 text-left text-soft text-xs">{caption}</caption>
      <Columns of={COLUMNS} />
      <tbody>
        {units.map((u) => (
          <tr key={`${u.name} ${u.records[0]}`} className="border-hair border-b">
            <th scope="row" className="py-0.5 text-left font-normal">
              {one(u)}
            </th>
            <td className="text-soft">{u.stratum}</td>
            <td>
              <Bar share={Math.abs(u.in_se ?? 0) / most} heed={Math.abs(u.in_se ?? 0) >= HEAVY} />
            </td>
            <td className="px-2 text-right tabular-nums">{u.in_se == null ? "–" : decimals(u.in_se, 2)}</td>
            <td className="px-2 text-right tabular-nums">{u.without == null ? "gone" : figure(u.without)}</td>
            <td className="px-2 text-right tabular-nums">{u.change == null ? "" : signed(u.change, figure)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The cases, first-stage units and strata that carry a figure. cells: a condition that is true of some records alone. */
export function Influence({ table, cell }: { table: string; cell: Published }) {
  const study = useSaved();
  const { lines, waiting, refusal } = useInfluence(study.id, study.edition, table, cell);
  if (refusal) return <Faults faults={refusal.faults} />;
  const last = lines.at(-1);
  const data = last?.influence;
  if (!data)
    return (
      <div role="status" className="my-1 max-w-md text-soft text-sm">
        {waiting
          ? "Waiting: two other questions about figures are being answered first …"
          : `Calculating the figure without each case … ${percent(last?.share ?? 0, 0)} %`}
        <progress aria-label="Progress" className="mt-1 block w-full" value={last?.share} />
      </div>
    );
  const cells = (records: readonly number[]) => ({ where: records.map((row) => `row == ${row}`).join(" or ") });
  const link = (records: readonly number[], text: string) => (
    <Link
      to="/study/$id/screening/{-$item}"
      params={{ id: study.id, item: "cells" }}
      search={cells(records) as never}
      className="text-act hover:underline"
    >
      {text}
    </Link>
  );
  return (
    <section aria-label="The cases that carry it">
      <p className="my-1 max-w-prose font-serif">{saysInfluence(data, cell)}</p>
      <Sub>Cases</Sub>
      <Units
        units={data.cases}
        cell={cell}
        caption="By contribution (w·z) to the figure’s standard error, with the figure recalculated without each case"
        one={(u) => link(u.records, `Record ${count(u.records[0] ?? 0)}`)}
      />
      {data.units.length > 0 && (
        <>
          <Sub>First-stage units</Sub>
          <Units
            units={data.units}
            cell={cell}
            caption="The same for first-stage units; the squared contributions sum to the variance"
            one={(u) => link(u.records, `${u.name || "Unit"}, ${plural(u.cases, "case")}`)}
          />
        </>
      )}
      {data.strata.length > 1 && (
        <>
          <Sub>Strata</Sub>
          <table className="w-full max-w-2xl text-sm">
            <caption className="pb-1 text-left text-soft text-xs">Each one’s part of the variance</caption>
            <tbody>
              {data.strata.map((s) => (
                <tr key={s.name} className="border-hair border-b">
                  <th scope="row" className="py-0.5 text-left font-normal">
                    {s.name} <span className="text-soft text-xs">{plural(s.units, "unit")}</span>
                  </th>
                  <td className="w-40">
                    <Bar share={s.share / (data.strata[0]?.share || 1)} />
                  </td>
                  <td className="px-2 text-right tabular-nums">{percent(s.share)} %</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
      {data.se != null && Math.abs(data.linearised_se - data.se) > 1e-6 * data.se && (
        <p className="mt-2 text-soft text-xs">
          By linearisation: these contributions make a standard error of {printer(cell)(data.linearised_se)}; the
          published one comes from replicates or other rules and is {printer(cell)(data.se)}.
        </p>
      )}
    </section>
  );
}
