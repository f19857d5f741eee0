import { decimals } from "../../../parts/figures";
import { Sub } from "../../../parts/panes";
import { type Axis, axisOf, Dot } from "./axis";
import type { ModelFound as Result } from "./plan";

type Coefficient = Result["coefficients"][number];

const p = (value: number | null | undefined) => (value == null ? "" : value < 0.001 ? "< 0.001" : decimals(value, 3));
const of = (value: number | null | undefined, digits = 3) => (value == null ? "–" : decimals(value, digits));

/** Coefficients of one term, the reference among them, with its joint test. */
function TermRows({
  title,
  rows,
  reference,
  ratios,
  axis,
  joint,
  refer,
  named,
}: {
  title: string;
  rows: readonly Coefficient[];
  reference: string | null;
  ratios: boolean;
  axis: Axis | null;
  joint: Result["joint"][number] | undefined;
  /** Makes a category the reference. */
  refer: (row: Coefficient) => (() => void) | null;
  named: (row: Coefficient) => string;
}) {
  const alone = rows.length === 1 && !reference && rows[0]?.term.every((f) => f.code == null);
  const says = (row: Coefficient) =>
    `${named(row)}: ${of(ratios ? row.odds_ratio : row.est)}, ${of(ratios ? row.or_low : row.low)} to ${of(ratios ? row.or_high : row.high)}`;
  return (
    <tbody className="figures">
      {!alone && (
        <tr>
          <th scope="rowgroup" colSpan={ratios ? 7 : 6} className="pt-2 text-left font-semibold font-serif">
            {title}
            {joint && (
              <span className="pl-3 font-normal font-sans text-soft text-xs">
                joint test: F = {decimals(joint.f, 2)} on {decimals(joint.df1, 0)} and {decimals(joint.df2, 0)} df, p{" "}
                {joint.p < 0.001 ? "" : "= "}
                {p(joint.p)}
              </span>
            )}
          </th>
        </tr>
      )}
      {reference && (
        <tr className="text-right text-soft">
          <td className="py-0.5 pl-4 text-left">{reference}</td>
          <td>{axis && <Dot seen={{ est: axis.nought }} axis={axis} says={`${reference}: reference`} />}</td>
          <td colSpan={ratios ? 5 : 4} className="pl-4 text-left">
            reference
          </td>
        </tr>
      )}
      {rows.map((row) => {
        const to = refer(row);
        const label = named(row);
        return (
          <tr key={label} className="text-right">
            <td className={`py-0.5 text-left ${alone ? "font-semibold font-serif" : "pl-4"}`}>
              {to ? (
                <button
                  data-passing
                  type="button"
                  title="Make it the reference"
                  className="text-left hover:underline"
                  onClick={to}
                >
                  {label}
                </button>
              ) : (
                label
              )}
            </td>
            <td>
              {axis && (
                <Dot
                  seen={ratios ? { est: row.odds_ratio, low: row.or_low, high: row.or_high } : row}
                  axis={axis}
                  says={says(row)}
                />
              )}
            </td>
            {ratios && (
              <td className="pl-3">
                {of(row.odds_ratio, 2)}{" "}
                <span className="text-soft text-xs">
                  {of(row.or_low, 2)} to {of(row.or_high, 2)}
                </span>
              </td>
            )}
            <td className="pl-3">{of(row.est)}</td>
            <td className="pl-3 text-soft">{of(row.se)}</td>
            <td className="pl-3">{row.t == null ? "–" : decimals(row.t, 2)}</td>
            <td className="pl-3">{p(row.p)}</td>
          </tr>
        );
      })}
    </tbody>
  );
}

/** Coefficients by term, as numbers and on one axis. */
export function Coefficients({ model, refer }: { model: Result; refer: (variable: string, code: number) => void }) {
  const ratios = model.kind === "logistic";
  const variables = new Map(model.variables.map((v) => [v.variable, v]));
  const labelOf = (variable: string, code: number) => {
    const v = variables.get(variable);
    return v?.labels[v.codes.indexOf(code)] ?? String(code);
  };
  const named = (row: Coefficient) =>
    row.term.length
      ? row.term.map((f) => (f.code == null ? f.variable : labelOf(f.variable, f.code))).join(" × ")
      : "Intercept";
  const keyOf = (row: Coefficient) => row.term.map((f) => f.variable).join(" × ");
  const groups = [...new Set(model.coefficients.map(keyOf))];
  const shown = model.coefficients.filter((c) => c.term.length);
  const axis = axisOf(
    shown.map((c) => (ratios ? { est: c.odds_ratio, low: c.or_low, high: c.or_high } : c)),
    ratios ? 1 : 0,
    ratios,
  );
  return (
    <table className="w-full max-w-5xl text-sm">
      <thead>
        <tr className="border-rule border-y text-right font-serif">
          <th className="py-1 text-left font-semibold">Term</th>
          <th className="w-64 font-semibold">{ratios ? "Odds ratio, on a log axis" : "Coefficient"}</th>
          {ratios && <th className="font-semibold">Odds ratio</th>}
          <th className="font-semibold">Coefficient</th>
          <th className="font-semibold">Error</th>
          <th className="font-semibold">t</th>
          <th className="font-semibold">p</th>
        </tr>
      </thead>
      {groups.map((key) => {
        const rows = model.coefficients.filter((c) => keyOf(c) === key);
        const single = rows[0]?.term.length === 1 ? variables.get(rows[0].term[0]?.variable ?? "") : undefined;
        const reference = single?.reference != null ? labelOf(single.variable, single.reference) : null;
        return (
          <TermRows
            key={key}
            title={key}
            rows={rows}
            reference={reference}
            ratios={ratios}
            axis={key ? axis : null}
            joint={model.joint.find((j) => j.term.join(" × ") === key)}
            named={named}
            refer={(row) => {
              const [factor, ...more] = row.term;
              if (!factor || more.length || factor.code == null) return null;
              const { variable, code } = factor;
              return () => refer(variable, code);
            }}
          />
        );
      })}
    </table>
  );
}

/** Average predictions as dots on one axis, a variable below the other. */
export function Predictions({ model }: { model: Result }) {
  if (!model.predictions.length) return null;
  const share = model.kind === "logistic";
  const times = share ? 100 : 1;
  const digits = share ? 1 : 2;
  const scaled = model.predictions.map((m) => ({
    ...m,
    est: times * m.est,
    low: m.low == null ? null : times * m.low,
    high: m.high == null ? null : times * m.high,
  }));
  const axis = axisOf(scaled, null);
  const told = model.variables.filter((v) => scaled.some((m) => m.variable === v.variable));
  return (
    <section aria-label="Average predictions">
      <Sub>Average predictions{share ? ", per cent" : ""}</Sub>
      <p className="text-soft text-sm">
        What the model expects on average if everyone were in one category, all else unchanged.
      </p>
      <table className="w-full max-w-3xl text-sm">
        {told.map((v) => (
          <tbody key={v.variable} className="figures">
            <tr>
              <th scope="rowgroup" colSpan={4} className="pt-2 text-left font-semibold font-serif">
                {v.variable}
              </th>
            </tr>
            {scaled
              .filter((m) => m.variable === v.variable)
              .map((m) => {
                const label = v.labels[v.codes.indexOf(m.code)] ?? String(m.code);
                return (
                  <tr key={m.code} className="text-right">
                    <td className="w-56 py-0.5 pl-4 text-left">{label}</td>
                    <td>{axis && <Dot seen={m} axis={axis} says={`${label}: ${decimals(m.est, digits)}`} />}</td>
                    <td className="w-16 pl-3">{decimals(m.est, digits)}</td>
                    <td className="w-32 pl-3 text-soft text-xs">
                      {m.low != null && m.high != null && `${decimals(m.low, digits)} to ${decimals(m.high, digits)}`}
                    </td>
                  </tr>
                );
              })}
          </tbody>
        ))}
      </table>
    </section>
  );
}
