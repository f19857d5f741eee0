import { useState } from "react";
import type { Schema } from "../../../api/client";
import { Choice, Field } from "../../../parts/fields";
import { count, decimals } from "../../../parts/figures";
import { FilterField } from "../../../parts/filter";
import { FindMany } from "../../../parts/find-many";
import type { Pairs } from "./plan";

type Result = Schema["CorrelationsResult"];
type Pair = Result["pairs"][number];

/** Which variables are held against each other. */
export function PairsForm({
  pairs,
  codebook,
  save,
}: {
  pairs: Pairs;
  codebook: Schema["CodebookView"];
  save: (to: Pairs) => void;
}) {
  const usable = codebook.variables.filter((v) => ["coded", "number"].includes(v.variable.kind));
  return (
    <section aria-label="What is correlated" className="grid grid-cols-[2fr_12rem_14rem] gap-x-6 [&>*]:my-1">
      <FindMany
        id="variables"
        label="Variables"
        chosen={pairs.variables ?? []}
        options={usable.map((v) => ({ name: v.variable.name, title: v.variable.label }))}
        begin={!pairs.variables?.length}
        change={(variables) => save({ ...pairs, variables })}
      />
      <Field label="Of">
        {(p) => (
          <Choice
            {...p}
            value={pairs.method ?? "pearson"}
            options={[
              ["pearson", "values (Pearson)"],
              ["spearman", "ranks (Spearman)"],
            ]}
            onChange={(e) => save({ ...pairs, method: e.target.value as "pearson" | "spearman" })}
          />
        )}
      </Field>
      <FilterField label="Filter" value={pairs.where} take={(where) => save({ ...pairs, where })} />
    </section>
  );
}

/** Correlations as a triangle; a press tells of a pair. */
export function PairsResult({ result, names }: { result: Result; names: readonly string[] }) {
  const [chosen, choose] = useState<string | null>(null);
  const key = (a: string, b: string) => [a, b].sort().join("|");
  const of = new Map(result.pairs.map((pair) => [key(pair.a, pair.b), pair]));
  const shown = chosen ? of.get(chosen) : undefined;
  const strength = (pair: Pair) => Math.min(1, Math.abs(pair.est ?? 0));
  return (
    <>
      <table className="my-3 border-separate border-spacing-px text-sm">
        <thead>
          <tr>
            <td />
            {names.slice(0, -1).map((name) => (
              <th key={name} scope="col" className="max-w-32 truncate px-2 text-right font-semibold" title={name}>
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="figures">
          {names.slice(1).map((row, i) => (
            <tr key={row}>
              <th scope="row" className="max-w-64 truncate pr-4 text-left font-semibold" title={row}>
                {row}
              </th>
              {names.slice(0, i + 1).map((column) => {
                const pair = of.get(key(row, column));
                const dark = pair && strength(pair) > 0.55;
                return (
                  <td key={column} className="p-0 text-right">
                    <button
                      data-passing
                      type="button"
                      aria-pressed={chosen === key(row, column)}
                      aria-label={`${row} with ${column}: ${pair?.est == null ? "none" : decimals(pair.est, 2)}`}
                      onClick={() => choose(chosen === key(row, column) ? null : key(row, column))}
                      className={`w-full px-2 py-1 text-right aria-pressed:outline-2 aria-pressed:outline-act ${dark ? "text-paper" : "text-ink"}`}
                      style={{
                        background:
                          pair?.est == null
                            ? "transparent"
                            : `color-mix(in srgb, ${pair.est < 0 ? "var(--heed)" : "var(--act)"} ${Math.round(100 * strength(pair))}%, var(--leaf))`,
                      }}
                    >
                      {pair?.est == null ? "–" : decimals(pair.est, 2)}
                      {pair?.p != null && pair.p < 0.05 ? "" : <span className="text-xs"> ○</span>}
                    </button>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="text-soft text-xs">
        ○ could be sampling alone (5 %, pair by pair). Red: in opposite ways. A press tells of a pair.
      </p>
      {shown && (
        <p role="status" className="my-2 border-act border-l-4 bg-leaf px-3 py-2 text-sm">
          <span className="font-semibold">{shown.a}</span> with <span className="font-semibold">{shown.b}</span>:{" "}
          {shown.est == null
            ? "no correlation, since one of the two does not vary"
            : `r = ${decimals(shown.est, 3)}${shown.low == null || shown.high == null ? "" : ` (${decimals(shown.low, 3)} to ${decimals(shown.high, 3)})`}${shown.t == null ? "" : `, t = ${decimals(shown.t, 2)}`}${shown.p == null ? "" : `, p ${shown.p < 0.001 ? "< 0.001" : `= ${decimals(shown.p, 3)}`}`}`}
          , of {count(shown.n)} cases.
        </p>
      )}
    </>
  );
}
