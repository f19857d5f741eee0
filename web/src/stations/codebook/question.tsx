import { useState } from "react";
import type { Schema } from "../../api/client";
import { ActionButton } from "../../parts/actions";
import { count, decimals, percent, plural } from "../../parts/figures";
import { useAnswer } from "../../parts/labels";
import { Bar, Heading, Sub } from "../../parts/panes";
import { AboutForm } from "./about";
import { BandForm } from "./band";
import { ReadNumberForm, TidyForm } from "./reading";
import { RenameForm } from "./rename";
import { ReverseForm } from "./reverse";
import { ScaleForm } from "./scale";
import { SplitForm, separatorOf } from "./split";

type VariableView = Schema["VariableView"];
type Tool = "about" | "split" | "scale" | "band" | "reverse" | "number" | "tidy" | "rename";

const FEW = 10;

const SORTS: Record<string, string> = {
  missing: "means no answer",
  not_in_codebook: "not in the codebook",
  not_placed: "not placed",
};

function Answers({ view }: { view: VariableView }) {
  const whole = Math.max(view.answered, 1);
  const shown = useAnswer();
  const [all, setAll] = useState(false);
  if (!view.answers.length) return null;
  // Of a text only the most frequent at first, so that what can be done stays in sight.
  const few = view.variable.kind === "text" && !all ? view.answers.slice(0, FEW) : view.answers;
  return (
    <>
      <table className="w-full max-w-2xl">
        <thead className="sr-only">
          <tr>
            <th>Answer</th>
            <th>Share</th>
            <th>Per cent</th>
            <th>Cases</th>
          </tr>
        </thead>
        <tbody>
          {few.map((answer) => (
            <tr
              key={`${answer.sort}-${answer.code ?? answer.label}`}
              className={answer.sort === "answer" ? "" : "text-soft"}
            >
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
      {few.length < view.answers.length && (
        <ActionButton
          id="all-answers"
          label={`Show ${view.answers.length} answers`}
          look="quiet"
          run={() => setAll(true)}
        />
      )}
    </>
  );
}

function Numbers({ number, unit }: { number: Schema["NumberSummary"]; unit?: string | null }) {
  const top = Math.max(...number.bars, 1);
  const facts: [string, number][] = [
    ["smallest", number.low],
    ["quarter below", number.quarter],
    ["median", number.median],
    ["three quarters below", number.three_quarters],
    ["largest", number.high],
    ["mean", number.mean],
  ];
  return (
    <div className="max-w-2xl">
      <div className="flex h-28 items-end gap-0.5 border-rule border-b" role="img" aria-label="Distribution">
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
      <dl className="mt-2 grid grid-cols-3 gap-x-8">
        {facts.map(([name, value]) => (
          <div key={name} className="flex justify-between border-hair border-b py-0.5">
            <dt className="text-soft">{name}</dt>
            <dd className="figures">{decimals(value, 2)}</dd>
          </div>
        ))}
      </dl>
    </div>
  );
}

/** A question as it was asked, its answers, and what can be made of it. */
export function Question({ view, codebook }: { view: VariableView; codebook: Schema["CodebookView"] }) {
  const { variable } = view;
  const [tool, setTool] = useState<Tool | null>(null);
  const scale = variable.scale ? codebook.scales[variable.scale] : undefined;
  const tools: [Tool, string, boolean][] = [
    ["scale", "Answer scale …", variable.kind === "text" || variable.kind === "coded"],
    ["number", "Read as numbers …", variable.kind === "text"],
    ["tidy", "Tidy the spacing …", variable.kind === "text"],
    ["split", "Several answers …", variable.kind === "text" && separatorOf(view) != null],
    ["reverse", "Turn round …", variable.kind === "coded" && Boolean(scale?.ordered)],
    ["band", "Band …", variable.kind === "number"],
    ["rename", "Rename …", true],
    ["about", "About …", true],
  ];
  const others = (variable.scale && codebook.used_by[variable.scale]?.filter((n) => n !== variable.name)) || [];
  return (
    <article>
      <Heading
        over={
          <>
            <span className="font-semibold">{variable.name}</span>, {variable.kind}
            {variable.role && `, ${variable.role}`}
            {view.made_by != null && `, made by entry ${view.made_by} of the ledger`}
          </>
        }
      >
        {variable.label ?? variable.name}
      </Heading>
      <p className="mb-2 text-sm">
        {count(view.answered)} answered, {count(view.blank)} blank
        {view.missing > 0 && `, ${count(view.missing)} with a code that means no answer`}
        {view.unplaced > 0 && <span className="text-heed">, ▲ {count(view.unplaced)} not placed</span>}
        {!view.number && `; ${plural(view.distinct, "distinct answer")}`}
      </p>
      {view.number && <Numbers number={view.number} unit={variable.unit} />}
      {(!view.number || view.unplaced > 0) && <Answers view={view} />}
      {scale && (
        <p className="mt-2 text-soft text-sm">
          Answer scale <span className="font-semibold text-ink">{variable.scale}</span>
          {scale.ordered ? ", ordered" : ", not ordered"}
          {others.length
            ? `; also used by ${others.slice(0, 4).join(", ")}${others.length > 4 ? ` and ${others.length - 4} more` : ""}`
            : ""}
          .
        </p>
      )}
      <div className="mt-4 flex flex-wrap gap-1 border-hair border-t pt-3">
        {tools.map(
          ([name, label, fits]) =>
            fits && (
              <ActionButton
                key={name}
                id={`tool-${name}`}
                label={label}
                pressed={tool === name}
                className={tool === name ? "bg-wash" : ""}
                run={() => setTool(tool === name ? null : name)}
              />
            ),
        )}
      </div>
      {tool && (
        <section className="max-w-3xl pb-8">
          <Sub>{tools.find(([name]) => name === tool)?.[1].replace(" …", "")}</Sub>
          {tool === "scale" && <ScaleForm view={view} codebook={codebook} done={() => setTool(null)} />}
          {tool === "band" && <BandForm variable={variable} number={view.number} done={() => setTool(null)} />}
          {tool === "reverse" && <ReverseForm view={view} codebook={codebook} done={() => setTool(null)} />}
          {tool === "number" && <ReadNumberForm name={variable.name} done={() => setTool(null)} />}
          {tool === "tidy" && <TidyForm name={variable.name} codebook={codebook} done={() => setTool(null)} />}
          {tool === "about" && <AboutForm view={view} done={() => setTool(null)} />}
          {tool === "split" && <SplitForm view={view} done={() => setTool(null)} />}
          {tool === "rename" && <RenameForm name={variable.name} />}
        </section>
      )}
    </article>
  );
}
