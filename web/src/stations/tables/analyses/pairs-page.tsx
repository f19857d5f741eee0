import { useState } from "react";
import type { Schema } from "../../../api/client";
import { Choice, Field, Tick } from "../../../parts/fields";
import { decimals } from "../../../parts/figures";
import { FilterField } from "../../../parts/filter";
import { FindMany } from "../../../parts/find-many";
import { BehindPair } from "./pair";
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

const key = (a: string, b: string) => [a, b].sort().join("|");

/** Variables in an order that puts those alike side by side: from the strongest pair on, each time the one that goes
 * most closely, in whichever way, with the last. */
export function byLikeness(names: readonly string[], pairs: readonly Pair[]): string[] {
  const size = new Map(pairs.map((pair) => [key(pair.a, pair.b), Math.abs(pair.est ?? 0)]));
  const strongest = [...pairs].sort((x, y) => Math.abs(y.est ?? 0) - Math.abs(x.est ?? 0))[0];
  const order = strongest ? [strongest.a, strongest.b] : [];
  const left = names.filter((name) => !order.includes(name));
  while (left.length) {
    const last = order.at(-1) ?? "";
    left.sort((x, y) => (size.get(key(last, y)) ?? 0) - (size.get(key(last, x)) ?? 0));
    order.push(left.shift() as string);
  }
  return order;
}

/** Correlations as a triangle; a press tells of a pair. */
export function PairsResult({ result, names: given }: { result: Result; names: readonly string[] }) {
  const [chosen, choose] = useState<string | null>(null);
  const [alike, setAlike] = useState(false);
  const names = alike ? byLikeness(given, result.pairs) : given;
  const of = new Map(result.pairs.map((pair) => [key(pair.a, pair.b), pair]));
  const shown = chosen ? of.get(chosen) : undefined;
  const strength = (pair: Pair) => Math.min(1, Math.abs(pair.est ?? 0));
  return (
    <>
      {given.length > 2 && (
        <Tick label="Group similar variables" checked={alike} onChange={(e) => setAlike(e.target.checked)} />
      )}
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
                      aria-label={`${row} with ${column}: ${pair?.est == null ? (pair?.suppressed ? "suppressed" : "none") : decimals(pair.est, 2)}`}
                      onClick={() => choose(chosen === key(row, column) ? null : key(row, column))}
                      className={`w-full px-2 py-1 text-right aria-pressed:outline-2 aria-pressed:outline-act ${dark ? "text-paper" : "text-ink"}`}
                      style={{
                        background:
                          pair?.est == null
                            ? "transparent"
                            : `color-mix(in srgb, ${pair.est < 0 ? "var(--heed)" : "var(--act)"} ${Math.round(100 * strength(pair))}%, var(--leaf))`,
                      }}
                    >
                      {pair?.est == null ? (pair?.suppressed ? "×" : "–") : decimals(pair.est, 2)}
                      {pair?.suppressed ? (
                        ""
                      ) : pair?.p != null && pair.p < 0.05 ? (
                        ""
                      ) : (
                        <span className="text-xs"> ○</span>
                      )}
                    </button>
                  </td>
                );
              })}
            </tr>
          ))}
        </tbody>
      </table>
      <p className="text-soft text-xs">
        ○ not significant at 5 % (each pair tested by itself). Negative correlations have a minus and the other colour.
        Press a pair for details.
        {result.pairs.some((pair) => pair.suppressed) && " × suppressed: small groups could be calculated from it."}
      </p>
      {shown && <BehindPair pair={shown} analysis={result.id} />}
    </>
  );
}
