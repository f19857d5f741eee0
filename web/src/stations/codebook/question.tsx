import { Table } from "@phosphor-icons/react";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { useVocabulary } from "../../api/vocabulary";
import { ActionButton } from "../../parts/actions";
import { count, decimals, percent, plural } from "../../parts/figures";
import { useAnswer } from "../../parts/labels";
import { Bar, Heading } from "../../parts/panes";
import { recipesOf, withUsual } from "../../parts/recipes";
import { sameTable, TABLED, tableOf } from "../../parts/table-plan";
import { KIND, roleOf } from "../../parts/variables";
import { Tools } from "./tools";

type VariableView = Schema["VariableView"];

const FEW = 10;

const SORTS: Record<string, string> = {
  missing: "means no answer",
  not_in_codebook: "not in the codebook",
  not_placed: "unrecognised",
};

/** Answers with their codes and shares; of a text only the most frequent at first. */
export function Answers({ view, few = FEW, whole: fixed }: { view: VariableView; few?: number; whole?: boolean }) {
  const whole = Math.max(view.answered, 1);
  const shown = useAnswer();
  const [all, setAll] = useState(false);
  if (!view.answers.length) return null;
  // Of a text only the most frequent at first, so that what can be done stays in sight.
  const list = view.variable.kind === "text" && !all ? view.answers.slice(0, few) : view.answers;
  return (
    <>
      <table className="w-full max-w-2xl">
        <thead className="sr-only">
          <tr>
            <th>Code</th>
            <th>Answer</th>
            <th>Share</th>
            <th>Per cent</th>
            <th>Cases</th>
          </tr>
        </thead>
        <tbody>
          {list.map((answer) => (
            <tr
              key={`${answer.sort}-${answer.code ?? answer.label}`}
              className={answer.sort === "answer" ? "" : "text-soft"}
            >
              <td className="figures w-10 py-0.5 pr-2 text-right text-soft text-sm">{answer.code}</td>
              <td className="py-0.5 pr-3">
                <span className="whitespace-pre-wrap">{shown(answer.code, answer.label)}</span>
                {SORTS[answer.sort] && (
                  <span className={`ml-2 text-xs ${answer.sort === "missing" ? "" : "text-heed"}`}>
                    {answer.sort === "missing" ? "" : "▲ "}
                    {SORTS[answer.sort]}
                  </span>
                )}
              </td>
              <td className="w-44">{answer.sort === "answer" && <Bar share={answer.cases / whole} />}</td>
              <td className="figures w-16 text-right">
                {answer.sort === "answer" ? percent(answer.cases / whole) : ""}
              </td>
              <td className="figures w-16 text-right text-soft">{count(answer.cases)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {list.length < view.answers.length &&
        (fixed ? (
          <p className="pl-10 text-soft text-sm">and {plural(view.distinct - list.length, "other")}</p>
        ) : (
          <ActionButton
            id="all-answers"
            label={`Show ${view.answers.length} answers`}
            look="quiet"
            run={() => setAll(true)}
          />
        ))}
    </>
  );
}

export function Numbers({
  number,
  unit,
  small,
}: {
  number: Schema["NumberSummary"];
  unit?: string | null;
  small?: boolean;
}) {
  const top = Math.max(...number.bars, 1);
  const facts: [string, number][] = [
    ["smallest", number.low],
    ["lower quartile", number.quarter],
    ["median", number.median],
    ["upper quartile", number.three_quarters],
    ["largest", number.high],
    ["mean", number.mean],
  ];
  return (
    <div className="max-w-2xl">
      <div
        className={`flex items-end gap-0.5 border-rule border-b ${small ? "h-12" : "h-28"}`}
        role="img"
        aria-label="Distribution"
      >
        {number.bars.map((n, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: bars have no other name than their place
          <span key={i} className="grow bg-act" style={{ height: `${(100 * n) / top}%` }} title={plural(n, "case")} />
        ))}
      </div>
      <div className="figures flex justify-between text-soft text-sm">
        <span>{decimals(number.low, 0)}</span>
        <span>
          {decimals(number.high, 0)} {unit}
        </span>
      </div>
      {!small && (
        <dl className="mt-2 grid grid-cols-3 gap-x-8">
          {facts.map(([name, value]) => (
            <div key={name} className="flex justify-between border-hair border-b py-0.5">
              <dt className="text-soft">{name}</dt>
              <dd className="figures">{decimals(value, 2)}</dd>
            </div>
          ))}
        </dl>
      )}
    </div>
  );
}

/** How many answered, left it blank, gave no answer, gave an entry that was not placed. */
export function Counts({ view }: { view: VariableView }) {
  return (
    <p className="mb-2 text-sm">
      {count(view.answered)} answered, {count(view.blank)} blank
      {view.missing > 0 && `, ${count(view.missing)} with a code that means no answer`}
      {view.unplaced > 0 && <span className="text-heed">, ▲ {count(view.unplaced)} unrecognised</span>}
      {!view.number && `; ${plural(view.distinct, "distinct answer")}`}
    </p>
  );
}

/** From a question to its table by the usual banner: the one the plan has, or a new one. */
function ToTable({ view }: { view: VariableView }) {
  const study = useStudy();
  const recipes = recipesOf(study.document, useVocabulary().recipes);
  const navigate = useNavigate();
  const { change } = useChange();
  if (!TABLED.includes(view.variable.kind)) return null;
  const go = (item: string) => navigate({ to: "/study/$id/tables/{-$item}", params: { id: study.id, item } });
  const run = () => {
    const tables = study.document.tables ?? [];
    const wanted = withUsual(study.document, tableOf(view, study.document.usual_banner ?? [], tables), recipes);
    const there = sameTable(tables, wanted);
    if (there) {
      go(there.id);
      return;
    }
    change.mutate((document) => ({ tables: [...(document.tables ?? []), wanted] }));
    go(wanted.id);
  };
  return (
    <ActionButton
      id="to-table"
      label="Table by the default banner"
      keys="t"
      icon={Table}
      className="mt-2 -ml-2"
      disabled={change.isPending}
      run={run}
    />
  );
}

/** A question as it was asked, its answers, and what can be made of it. */
export function Question({ view, codebook }: { view: VariableView; codebook: Schema["CodebookView"] }) {
  const { variable } = view;
  const scale = variable.scale ? codebook.scales[variable.scale] : undefined;
  const others =
    (variable.scale && codebook.used_by[variable.scale]?.filter((u) => u.variable !== variable.name)) || [];
  return (
    <article>
      <Heading
        over={
          <>
            <span className="font-semibold">{variable.name}</span>, {KIND[variable.kind]}
            {view.level && `, ${view.level}`}
            {variable.role && `, ${roleOf(variable)}`}
            {view.made_by != null && `, made by entry ${view.made_by} of the ledger`}
          </>
        }
      >
        {variable.label ?? variable.name}
      </Heading>
      <div className="min-[1600px]:grid min-[1600px]:grid-cols-[minmax(0,42rem)_minmax(24rem,1fr)] min-[1600px]:items-start min-[1600px]:gap-x-12">
        <div>
          <Counts view={view} />
          {view.number && <Numbers number={view.number} unit={variable.unit} />}
          {(!view.number || view.unplaced > 0) && <Answers view={view} />}
          {variable.note && <p className="mt-2 max-w-2xl text-sm italic">{variable.note}</p>}
          {scale && (
            <p className="mt-2 text-soft text-sm">
              Answer scale <span className="font-semibold text-ink">{variable.scale}</span>
              {scale.ordered ? ", ordered" : ", not ordered"}
              {others.length
                ? `; also used by ${others
                    .slice(0, 4)
                    .map((u) => u.variable)
                    .join(", ")}${others.length > 4 ? ` and ${others.length - 4} more` : ""}`
                : ""}
              .
            </p>
          )}
          <ToTable view={view} />
        </div>
        <div>
          <Tools views={[view]} codebook={codebook} />
        </div>
      </div>
    </article>
  );
}
