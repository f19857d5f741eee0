import { useState } from "react";
import type { Schema } from "../../api/client";
import { Choice, Field, TextInput, Tick } from "../../parts/fields";
import { PickMany } from "../../parts/pick-many";
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
];
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
  const [where, setWhere] = useState(request.where ?? "");
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
          {STATS.map(([stat, label]) => (
            <Tick
              key={stat}
              label={label}
              checked={shown.includes(stat)}
              disabled={busy}
              onChange={(e) => {
                const to = STATS.map(([s]) => s).filter((s) => (s === stat ? e.target.checked : shown.includes(s)));
                if (to.length) save({ show: to });
              }}
            />
          ))}
        </fieldset>
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
      </div>
    </section>
  );
}
