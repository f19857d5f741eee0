import { useState } from "react";
import type { Schema } from "../../api/client";
import { Choice, Field, TextInput, Tick } from "../../parts/fields";
import { PickMany } from "../../parts/pick-many";
import { Nets } from "./nets";
import type { Request } from "./station";

type Stat = NonNullable<Request["show"]>[number];
type Interval = NonNullable<Request["interval"]>;

const STATS: readonly (readonly [Stat, string])[] = [
  ["n", "cases"],
  ["count", "weighted count"],
  ["col_pct", "column %"],
  ["row_pct", "row %"],
  ["total_pct", "total %"],
  ["response_pct", "% of responses"],
  ["mean", "mean"],
  ["sd", "sd"],
  ["median", "median"],
  ["q25", "lower quartile"],
  ["q75", "upper quartile"],
  ["mode", "mode"],
  ["skewness", "skewness"],
  ["kurtosis", "kurtosis"],
];
/** Figures that are asked for less often stand behind a fold. */
const SELDOM = ["q25", "q75", "mode", "skewness", "kurtosis"];
const SIDES = [
  ["both", "two-sided"],
  ["lower", "lower limit"],
  ["upper", "upper limit"],
] as const;
const TESTS = [
  ["columns", "letters: which columns differ"],
  ["independence", "do they go together (Rao and Scott)"],
  ["wald", "the same, adjusted Wald"],
  ["trend", "trend over the banner's order"],
] as const;
const ADJUST = [
  ["none", "not adjusted"],
  ["bonferroni", "Bonferroni"],
  ["holm", "Holm"],
  ["fdr", "false discovery rate"],
] as const;
const LETTERS = [
  ["0.05", "at 5 %"],
  ["0.01", "at 1 %"],
  ["0.1", "at 10 %"],
  ["0.01,0.05", "at 1 % and 5 %"],
  ["0.05,0.1", "at 5 % and 10 %"],
] as const;
const METHODS = [
  ["logit", "logit"],
  ["wald", "Wald"],
  ["wilson", "Wilson"],
  ["beta", "beta"],
] as const;
const LEVELS = [
  ["0.9", "90 %"],
  ["0.95", "95 %"],
  ["0.99", "99 %"],
] as const;
const NESTED = " › ";

/** What a table asks for: stub, banner, filter, figures, interval. Every change is counted at once. */
export function Builder({
  request,
  codebook,
  save,
  busy,
}: {
  request: Request;
  codebook: Schema["CodebookView"];
  save: (parts: Partial<Request>) => void;
  busy: boolean;
}) {
  const names = (kinds: string[]) =>
    codebook.variables.filter((v) => kinds.includes(v.variable.kind)).map((v) => v.variable.name);
  const coded = names(["coded"]);
  const shown = request.show ?? ["n", "col_pct"];
  const interval: Interval = request.interval ?? {};
  const level = String(interval.level ?? 0.95);
  const banner = (request.banner ?? []).map((b) => (typeof b === "string" ? b : b.join(NESTED)));
  const last = banner.at(-1);
  const tests = request.tests ?? [];
  const levels = (request.levels ?? [0.05]).join(",");
  const [where, setWhere] = useState(request.where ?? "");
  const tick = ([stat, label]: readonly [Stat, string]) => (
    <Tick
      key={stat}
      label={label}
      checked={shown.includes(stat)}
      disabled={busy}
      onChange={(e) => {
        const known = STATS.map(([s]) => s);
        const order = [...known, ...shown.filter((s) => !known.includes(s))];
        const to = order.filter((s) => (s === stat ? e.target.checked : shown.includes(s)));
        if (to.length) save({ show: to });
      }}
    />
  );
  const leave = () => {
    if (where.trim() !== (request.where ?? "")) save({ where: where.trim() || null });
  };
  return (
    <section aria-label="What the table asks for" className="my-1">
      <div className="grid grid-cols-[1fr_1fr_16rem] gap-x-6">
        <PickMany
          id="stub"
          label="Stub (down)"
          chosen={request.stub ?? []}
          options={names(["coded", "number", "multi"])}
          change={(stub) => save({ stub })}
        />
        <PickMany
          id="banner"
          label="Banner (across)"
          chosen={banner}
          options={[...coded, ...(last ? coded.map((c) => `${last}${NESTED}${c}`) : [])]}
          change={(to) => save({ banner: to.map((b) => (b.includes(NESTED) ? b.split(NESTED) : b)) })}
        />
        <Field label="Filter (a domain)">
          {(p) => (
            <TextInput
              {...p}
              value={where}
              placeholder="everybody"
              spellCheck={false}
              onChange={(e) => setWhere(e.target.value)}
              onBlur={leave}
              onKeyDown={(e) => e.key === "Enter" && leave()}
            />
          )}
        </Field>
      </div>
      <div className="flex flex-wrap items-center gap-x-3">
        <fieldset className="contents">
          <legend className="sr-only">Figures</legend>
          {STATS.filter(([stat]) => !SELDOM.includes(stat)).map(tick)}
        </fieldset>
        {(request.stub?.length ?? 0) > 1 && (
          <Choice
            aria-label="Layout"
            className="!w-36"
            value={request.layout ?? "crosstab"}
            options={[
              ["crosstab", "a crosstab each"],
              ["battery", "items down"],
            ]}
            onChange={(e) => save({ layout: e.target.value as Request["layout"] })}
          />
        )}
        <Choice
          aria-label="Interval method"
          className="!w-28"
          value={interval.method ?? "logit"}
          options={METHODS}
          onChange={(e) => save({ interval: { ...interval, method: e.target.value as Interval["method"] } })}
        />
        <Choice
          aria-label="Interval level"
          className="!w-20"
          value={level}
          options={LEVELS.some(([l]) => l === level) ? LEVELS : [...LEVELS, [level, `${100 * Number(level)} %`]]}
          onChange={(e) => save({ interval: { ...interval, level: Number(e.target.value) } })}
        />
        <Choice
          aria-label="Interval sides"
          className="!w-28"
          value={interval.sides ?? "both"}
          options={SIDES}
          onChange={(e) => save({ interval: { ...interval, sides: e.target.value as Interval["sides"] } })}
        />
      </div>
      <Nets nets={request.nets ?? []} stub={request.stub ?? []} codebook={codebook} save={(nets) => save({ nets })} />
      <details className="text-sm">
        <summary className="cursor-pointer text-act">Tests and further figures</summary>
        <div className="flex flex-wrap items-center gap-x-4">
          {TESTS.map(([test, label]) => (
            <Tick
              key={test}
              label={label}
              checked={tests.includes(test)}
              disabled={busy || !banner.length}
              onChange={(e) => save({ tests: e.target.checked ? [...tests, test] : tests.filter((t) => t !== test) })}
            />
          ))}
          {tests.includes("columns") && (
            <>
              <Choice
                aria-label="Level of the letters"
                className="!w-36"
                value={levels}
                options={LETTERS.some(([l]) => l === levels) ? LETTERS : [...LETTERS, [levels, levels]]}
                onChange={(e) => save({ levels: e.target.value.split(",").map(Number) })}
              />
              <Choice
                aria-label="Adjusted for the number of comparisons"
                className="!w-44"
                value={request.adjust ?? "none"}
                options={ADJUST}
                onChange={(e) => save({ adjust: e.target.value as Request["adjust"] })}
              />
            </>
          )}
        </div>
        <div className="flex flex-wrap items-center gap-x-4">
          {STATS.filter(([stat]) => SELDOM.includes(stat)).map(tick)}
          <Tick
            label="as if a simple random sample, behind each figure"
            checked={request.plain ?? false}
            disabled={busy}
            onChange={(e) => save({ plain: e.target.checked })}
          />
        </div>
      </details>
    </section>
  );
}
