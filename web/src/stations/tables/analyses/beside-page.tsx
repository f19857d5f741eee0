import { SortAscending, Trash } from "@phosphor-icons/react";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import type { Schema } from "../../../api/client";
import { besideQuery, useChange, useSaved, useSaving } from "../../../api/queries";
import { ActionButton } from "../../../parts/actions";
import { Tick } from "../../../parts/fields";
import { count, decimals } from "../../../parts/figures";
import { Faults } from "../../../parts/notices";
import { Ticks } from "../../../parts/ticks";
import { TakeAway } from "../take-away";
import { calledOf, type Model, toggled } from "./plan";
import { Title } from "./title";

type Beside = Schema["SideBySide"];
type Figure = NonNullable<Beside["show"]>[number];
type Coefficient = Schema["Coefficient"];

const FIGURES: readonly (readonly [Figure, string])[] = [
  ["est", "coefficients"],
  ["se", "standard errors"],
  ["interval", "intervals"],
  ["p", "p"],
  ["odds_ratio", "odds ratios"],
  ["or_interval", "intervals of odds ratios"],
];

const digits = (value: number | null | undefined, n: number) => (value == null ? "–" : decimals(value, n));
const range = (low: number | null | undefined, high: number | null | undefined, n: number) =>
  low == null || high == null ? "–" : `${decimals(low, n)} to ${decimals(high, n)}`;
const SAYS: Record<Figure, (c: Coefficient) => string> = {
  est: (c) => digits(c.est, 3),
  se: (c) => `(${digits(c.se, 3)})`,
  interval: (c) => range(c.low, c.high, 3),
  p: (c) => (c.p == null ? "" : c.p < 0.001 ? "p < 0.001" : `p = ${decimals(c.p, 3)}`),
  odds_ratio: (c) => digits(c.odds_ratio, 2),
  or_interval: (c) => (c.odds_ratio == null ? "" : range(c.or_low, c.or_high, 2)),
};

/** Models in an order in which each has all that the one before it has, as far as they do. */
export function nested(models: readonly Model[]): string[] {
  return [...models].sort((a, b) => (a.terms ?? []).length - (b.terms ?? []).length).map((m) => m.id);
}

function Table({ found, show }: { found: Schema["ModelsBeside"]; show: readonly Figure[] }) {
  const groups = [...new Set(found.lines.map((line) => line.group))];
  return (
    <div className="overflow-x-auto">
      <table className="my-3 text-sm">
        <thead>
          <tr className="border-rule border-y text-right align-bottom font-serif">
            <th className="min-w-48 py-1 text-left font-semibold">Term</th>
            {found.columns.map((column) => (
              <th key={column.id} className="w-40 max-w-48 py-1 pl-6 font-semibold leading-snug">
                {column.title}
              </th>
            ))}
          </tr>
        </thead>
        {groups.map((group) => (
          <tbody key={group} className="figures">
            {found.lines
              .filter((line) => line.group === group)
              .map((line, i, lines) => (
                <tr key={line.label} className="text-right align-top">
                  <th scope="row" className={`py-0.5 text-left font-normal ${i ? "" : "pt-2"}`}>
                    {lines.length > 1 && !i && <span className="block font-semibold font-serif">{group}</span>}
                    <span className={lines.length > 1 ? "pl-4" : ""}>{line.label}</span>
                  </th>
                  {line.coefficients.map((c, k) => (
                    // biome-ignore lint/suspicious/noArrayIndexKey: a model's place is what it is known by here
                    <td key={k} className={`py-0.5 pl-6 ${i || lines.length < 2 ? "" : "pt-7"}`}>
                      {c
                        ? show.map((figure, f) => (
                            <span key={figure} className={f ? "block text-soft text-xs" : "block"}>
                              {SAYS[figure](c)}
                            </span>
                          ))
                        : line.reference[k] && <span className="text-soft text-xs">reference</span>}
                    </td>
                  ))}
                </tr>
              ))}
          </tbody>
        ))}
        <tbody className="figures border-rule border-t">
          {(
            [
              ["Outcome", (c) => c.outcome],
              ["Cases", (c) => count(c.n)],
              ["R²", (c) => digits(c.r2, 3)],
            ] as const satisfies readonly (readonly [string, (c: Schema["ModelColumn"]) => string])[]
          ).map(([label, of]) => (
            <tr key={label} className="text-right text-soft">
              <th scope="row" className="py-0.5 text-left font-normal">
                {label}
              </th>
              {found.columns.map((column) => (
                <td key={column.id} className="max-w-48 truncate pl-6">
                  {of(column)}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

/** What a model adds to the one before it, by term. */
function Added({ found }: { found: Schema["ModelsBeside"] }) {
  const more = found.columns.filter((column) => column.added?.length);
  if (!more.length) return null;
  return (
    <section aria-label="What is added" className="max-w-3xl text-sm">
      {more.map((column) => (
        <p key={column.id}>
          <span className="font-semibold">{column.title}</span> adds{" "}
          {column.added
            ?.map(
              (of) =>
                `${of.term.join(" × ")} (F = ${decimals(of.f, 2)} on ${decimals(of.df1, 0)} and ${decimals(of.df2, 0)}, p ${of.p < 0.001 ? "< 0.001" : `= ${decimals(of.p, 3)}`})`,
            )
            .join(", ")}
          .
        </p>
      ))}
    </section>
  );
}

/** Models of the plan in one table: which, in which order, which of their figures. */
export function BesidePage({ beside }: { beside: Beside }) {
  const study = useSaved();
  const navigate = useNavigate();
  const { change } = useChange();
  const saving = useSaving() !== "saved";
  const there = study.document.side_by_side?.some((b) => b.id === beside.id) ?? false;
  const { data, error, isFetching } = useQuery({
    ...besideQuery(study.id, study.edition, beside.id),
    placeholderData: keepPreviousData,
    enabled: there,
  });
  const save = (parts: Partial<Beside>) =>
    change.mutate((document) => ({
      side_by_side: (document.side_by_side ?? []).map((b) => (b.id === beside.id ? { ...b, ...parts } : b)),
    }));
  const models = study.document.models ?? [];
  const chosen = beside.models ?? [];
  const show = beside.show ?? ["est", "se"];
  return (
    <article>
      <div className="flex items-start gap-1">
        <Title
          one="comparison of models"
          called={beside.title ?? "Compared models"}
          take={(title) => save({ title })}
        />
        <ActionButton
          id="drop-beside"
          label="Remove this comparison from the plan"
          icon={Trash}
          bare
          look="quiet"
          run={() => {
            change.mutate((document) => ({
              side_by_side: (document.side_by_side ?? []).filter((b) => b.id !== beside.id),
            }));
            navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item: undefined } });
          }}
        />
      </div>
      <div className="grid grid-cols-2 gap-x-8 border-hair border-b pb-2">
        <fieldset>
          <legend className="font-semibold text-sm">Models, in the order they are ticked</legend>
          <Ticks>
            {models.map((m) => (
              <Tick
                key={m.id}
                label={`${chosen.includes(m.id) ? `${chosen.indexOf(m.id) + 1}. ` : ""}${calledOf("models", m)}`}
                checked={chosen.includes(m.id)}
                onChange={() => save({ models: toggled(chosen, m.id) })}
              />
            ))}
          </Ticks>
          {chosen.length > 1 && (
            <ActionButton
              id="nest-models"
              label="Those of fewer terms first"
              icon={SortAscending}
              className="-ml-2"
              run={() => save({ models: nested(models.filter((m) => chosen.includes(m.id))) })}
            />
          )}
        </fieldset>
        <fieldset>
          <legend className="font-semibold text-sm">Figures</legend>
          <Ticks>
            {FIGURES.map(([figure, label]) => (
              <Tick
                key={figure}
                label={label}
                checked={show.includes(figure)}
                onChange={() => {
                  const to = toggled(show, figure);
                  save({ show: FIGURES.map(([f]) => f).filter((f) => to.includes(f)) });
                }}
              />
            ))}
          </Ticks>
        </fieldset>
      </div>
      {error && <Faults faults={[{ what: error.message, where: "", mend: "" }]} />}
      {!chosen.length && <p className="mt-3 text-soft">Tick the models to compare.</p>}
      {data && chosen.length > 0 && (
        <div className={saving || isFetching ? "fade-late" : ""} aria-busy={saving || isFetching}>
          {data.columns
            .filter((column) => column.message)
            .map((column) => (
              <p key={column.id} role="alert" className="my-2 max-w-3xl border-heed border-l-4 bg-heedwash px-3 py-1">
                {column.title}: {column.message}
              </p>
            ))}
          <div className="-ml-2 flex gap-1">
            <TakeAway study={study.id} part="side_by_side" name={beside.id} disabled={saving || isFetching} />
          </div>
          <Table found={data} show={show} />
          <Added found={data} />
        </div>
      )}
    </article>
  );
}
