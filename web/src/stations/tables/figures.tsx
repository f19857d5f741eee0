import type { Schema } from "../../api/client";
import { statisticName, useVocabulary, type Vocabulary } from "../../api/vocabulary";
import { Choice, Tick } from "../../parts/fields";
import { plainly } from "../../parts/figures";
import { NumberField } from "../../parts/number-field";
import type { Request } from "../../parts/table-plan";
import { ItemFigure } from "./item-figure";
import { Nets } from "./nets";
import type { Stat } from "./stats";

type Interval = NonNullable<Request["interval"]>;

/** A table that is asked for, and how it is changed. */
export interface Asked {
  request: Request;
  codebook: Schema["CodebookView"];
  save: (parts: Partial<Request>) => void;
}

const SIDES = [
  ["both", "two-sided"],
  ["lower", "lower limit"],
  ["upper", "upper limit"],
] as const;
const TESTS = [
  ["columns", "column differences (letters)"],
  ["against_total", "each column against the total (arrows)"],
  ["against_rest", "each column against the rest (arrows)"],
  ["independence", "independence (Rao–Scott)"],
  ["wald", "the same, adjusted Wald"],
  ["trend", "trend across the banner"],
] as const;
/** Tests that are said beside the figures, by a letter or an arrow. */
export const SIGNED: readonly string[] = ["columns", "against_total", "against_rest"];
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
const DEGREES = [
  ["design", "the design's df"],
  ["cell", "each figure's df"],
] as const;
const LEVELS = [
  ["0.9", "90 %"],
  ["0.95", "95 %"],
  ["0.99", "99 %"],
] as const;
const PERIODS = [
  ["day", "by day"],
  ["month", "by month"],
  ["quarter", "by quarter"],
  ["year", "by year"],
] as const;

/** What a table shows, in a line. */
export function saysFigures(request: Request, vocabulary: Vocabulary): string {
  const interval = request.interval ?? {};
  const sides = SIDES.find(([s]) => s === (interval.sides ?? "both"))?.[1];
  const tests = request.tests ?? [];
  const signs = [
    tests.includes("columns") ? "letters" : "",
    tests.includes("against_total") || tests.includes("against_rest") ? "arrows" : "",
  ].filter(Boolean);
  return [
    (request.show ?? ["n", "col_pct"]).map((s) => statisticName(vocabulary, s)).join(", "),
    `${plainly(100 * (interval.level ?? 0.95))} % ${METHODS.find(([m]) => m === (interval.method ?? "logit"))?.[1]}, ${sides}`,
    (request.nets ?? []).length ? `nets ${(request.nets ?? []).map((n) => n.label).join(", ")}` : "",
    signs.length
      ? `${signs.join(" and ")} at ${(request.levels ?? [0.05]).map((l) => `${plainly(100 * l)} %`).join(" and ")}`
      : "",
    tests.some((t) => !SIGNED.includes(t)) ? "tests" : "",
  ]
    .filter(Boolean)
    .join(" · ");
}

/** Figures, intervals, nets and tests. */
export function Figures({ request, codebook, save }: Asked) {
  const shown = request.show ?? ["n", "col_pct"];
  const vocabulary = useVocabulary();
  const known = vocabulary.statistics.map((s) => s.name);
  const interval: Interval = request.interval ?? {};
  const level = String(interval.level ?? 0.95);
  const banner = request.banner ?? [];
  const tests = request.tests ?? [];
  const levels = (request.levels ?? [0.05]).join(",");
  const named = [...(request.stub ?? []), ...banner.flat()];
  const dated = codebook.variables.some((v) => v.variable.kind === "date" && named.includes(v.variable.name));
  const numbers = codebook.variables
    .filter((v) => v.variable.kind === "number" && !request.stub?.includes(v.variable.name))
    .map((v) => v.variable.name);
  const tick = ([stat, label]: readonly [Stat, string]) => (
    <Tick
      key={stat}
      label={label}
      checked={shown.includes(stat)}
      onChange={(e) => {
        const order = [...known, ...shown.filter((s) => !known.includes(s))];
        const to = order.filter((s) => (s === stat ? e.target.checked : shown.includes(s)));
        if (!to.length) return;
        // A ratio is per a number.
        const per = to.includes("ratio") && !request.per ? (numbers[0] ?? null) : request.per;
        const figure = request.figure && to.includes(request.figure.stat) ? request.figure : null;
        save({ show: to, per, figure });
      }}
    />
  );
  return (
    <>
      <fieldset className="flex flex-wrap items-center gap-x-3">
        <legend className="sr-only">Figures</legend>
        {vocabulary.statistics.map((s) => tick([s.name, s.says]))}
        {shown.filter((s) => !known.includes(s)).map((s) => tick([s, statisticName(vocabulary, s)]))}
        {shown.includes("ratio") && (
          <span className="flex items-center gap-1 text-sm">
            ratio per
            <Choice
              aria-label="Denominator of ratios"
              className="!w-40 !py-0"
              value={request.per ?? ""}
              options={numbers.map((name) => [name, name] as const)}
              onChange={(e) => save({ per: e.target.value })}
            />
          </span>
        )}
        <span className="flex items-center gap-1 text-sm">
          quantile at
          <NumberField
            aria-label="Another quantile (%)"
            value={null}
            fits={(n) => n >= 0 && n <= 100}
            take={(to) => to != null && save({ show: [...new Set([...shown, `q${to}` as Stat])] })}
          />
          %
        </span>
      </fieldset>
      <div className="flex flex-wrap items-center gap-x-3 gap-y-1">
        {(request.stub?.length ?? 0) > 1 && (
          <Choice
            aria-label="Layout"
            className="!w-36"
            value={request.layout ?? "crosstab"}
            options={[
              ["crosstab", "one crosstab per question"],
              ["battery", "items down"],
              ["items_by_groups", "items by groups"],
            ]}
            onChange={(e) => save({ layout: e.target.value as Request["layout"] })}
          />
        )}
        {request.layout === "items_by_groups" && (
          <ItemFigure request={request} codebook={codebook} take={(figure) => save({ figure })} />
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
          options={
            LEVELS.some(([l]) => l === level) ? LEVELS : [...LEVELS, [level, `${plainly(100 * Number(level))} %`]]
          }
          onChange={(e) => save({ interval: { ...interval, level: Number(e.target.value) } })}
        />
        <Choice
          aria-label="Interval sides"
          className="!w-28"
          value={interval.sides ?? "both"}
          options={SIDES}
          onChange={(e) => save({ interval: { ...interval, sides: e.target.value as Interval["sides"] } })}
        />
        <Choice
          aria-label="Degrees of freedom of intervals"
          className="!w-36"
          value={interval.df ?? "design"}
          options={DEGREES}
          onChange={(e) => save({ interval: { ...interval, df: e.target.value as Interval["df"] } })}
        />
        {dated && (
          <Choice
            aria-label="Dates"
            className="!w-28"
            value={request.dates ?? "month"}
            options={PERIODS}
            onChange={(e) => save({ dates: e.target.value as Request["dates"] })}
          />
        )}
        <Tick
          label="total row"
          checked={request.total_row ?? false}
          onChange={(e) => save({ total_row: e.target.checked })}
        />
        <Tick
          label="compare with simple random sampling"
          checked={request.plain ?? false}
          onChange={(e) => save({ plain: e.target.checked })}
        />
      </div>
      <Nets request={request} codebook={codebook} save={(nets) => save({ nets })} />
      <div className="flex flex-wrap items-center gap-x-4">
        <span className="font-semibold text-sm">Tests</span>
        {TESTS.map(([test, label]) => (
          <Tick
            key={test}
            label={label}
            checked={tests.includes(test)}
            disabled={!banner.length}
            onChange={(e) => save({ tests: e.target.checked ? [...tests, test] : tests.filter((t) => t !== test) })}
          />
        ))}
        {tests.some((test) => SIGNED.includes(test)) && (
          <>
            <Choice
              aria-label="Level of letters and arrows"
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
    </>
  );
}
