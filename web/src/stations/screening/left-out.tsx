import { Check } from "@phosphor-icons/react";
import { useState } from "react";
import type { Schema } from "../../api/client";
import { useChange, useCodebook, useLeftOut, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field } from "../../parts/fields";
import { count, percent, plural } from "../../parts/figures";
import { Heading, Sub } from "../../parts/panes";

type NonResponse = Schema["NonResponse"];

/** How many cases left out how many of the questions. */
function HowMany({ found }: { found: NonResponse }) {
  const most = found.left_out.reduce((last, n, k) => (n ? k : last), 0);
  const shown = found.left_out.slice(0, most + 1);
  const top = Math.max(...shown, 1);
  return (
    <table className="w-full max-w-2xl text-sm">
      <thead>
        <tr className="border-rule border-y text-left font-serif">
          <th className="w-28 py-0.5 font-semibold">Unanswered</th>
          <th className="font-semibold" colSpan={2}>
            Cases
          </th>
          <th className="w-28 text-right font-semibold">That many or more</th>
        </tr>
      </thead>
      <tbody className="figures">
        {shown.map((n, k) => {
          // A long run of numbers that nobody left out is one line.
          const gap = (at: number) => at > 0 && at < most && !shown[at];
          if (gap(k) && gap(k - 1) && gap(k + 1)) return null;
          return (
            // biome-ignore lint/suspicious/noArrayIndexKey: the place is the number of questions
            <tr key={k}>
              <td>{gap(k) && gap(k - 1) ? "…" : `${k} of ${found.items.length}`}</td>
              <td className="w-96">
                <span className="block h-2.5 bg-act" style={{ width: `${(100 * n) / top}%` }} />
              </td>
              <td className="text-right">{count(n)}</td>
              <td className="text-right text-soft">{count(shown.slice(k).reduce((a, b) => a + b, 0))}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}

/** Room for the names of the questions above a pattern's columns. */
const NAMES = 92;

/** Which questions go unanswered together: a row for each pattern, a column for each question, dark where it is unanswered. */
function Patterns({ found }: { found: NonResponse }) {
  const top = Math.max(...found.patterns.map((p) => p.cases), 1);
  const cell = 14;
  const wide = found.items.length * cell;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: a scrolling region is reached by keyboard
    <section aria-label="Patterns of item non-response" tabIndex={0} className="overflow-x-auto">
      <svg
        role="img"
        aria-label={`${plural(found.patterns.length, "pattern")}, the most frequent first`}
        width={wide + 240}
        height={found.patterns.length * 18 + NAMES + 8}
        className="text-sm"
      >
        {found.items.map((item, i) => (
          <text
            key={item.variable}
            transform={`translate(${i * cell + 8} ${NAMES - 3}) rotate(-60)`}
            fill="var(--soft)"
            fontSize="10"
          >
            {item.variable.slice(0, 18)}
          </text>
        ))}
        {found.patterns.map((pattern, r) => (
          <g key={pattern.left_out.join("-") || "none"} transform={`translate(0 ${r * 18 + NAMES})`}>
            <title>
              {pattern.left_out.length
                ? pattern.left_out.map((i) => found.items[i]?.variable).join(", ")
                : "Everything was answered"}
            </title>
            {found.items.map((item, i) => (
              <rect
                key={item.variable}
                x={i * cell}
                y={2}
                width={cell - 2}
                height={13}
                fill={pattern.left_out.includes(i) ? "var(--heed)" : "var(--hair)"}
              />
            ))}
            <rect x={wide + 8} y={4} width={(110 * pattern.cases) / top} height={9} fill="var(--act)" />
            <text x={wide + 14 + (110 * pattern.cases) / top} y={13} fill="var(--ink)" className="figures">
              {count(pattern.cases)}
            </text>
          </g>
        ))}
      </svg>
      <p className="text-soft text-sm">
        Each row is a pattern, each column a question in the order of the file, dark where it is unanswered; the bar
        says how many cases share it.
        {found.other_patterns > 0 &&
          ` ${plural(found.other_patterns, "rarer pattern")} with ${plural(found.other_cases, "case")} are not shown.`}
      </p>
    </section>
  );
}

/** Item non-response: per question, per case, and the patterns, over a run of questions that can be chosen. */
export function LeftOut() {
  const study = useStudy();
  const codebook = useCodebook();
  const { change } = useChange();
  const parts = new Set(codebook.variables.flatMap((v) => v.variable.parts ?? []));
  const questions = codebook.variables
    .filter((v) => !v.variable.role && v.variable.kind !== "date" && !parts.has(v.variable.name))
    .map((v) => v.variable.name);
  const [from, setFrom] = useState("");
  const [to, setTo] = useState("");
  const a = Math.max(questions.indexOf(from), 0);
  const b = to ? questions.indexOf(to) : questions.length - 1;
  const run = from || to ? questions.slice(Math.min(a, b), Math.max(a, b) + 1) : [];
  const found = useLeftOut(run);
  const settings = study.document.screening ?? {};
  const options = (every: string): [string, string][] => [
    ["", every],
    ...questions.map((q): [string, string] => [q, q]),
  ];
  return (
    <section aria-label="Item non-response">
      <Heading over="Unweighted, of the cases in use">Item non-response</Heading>
      <div className="flex max-w-3xl items-end gap-3">
        <div className="w-60">
          <Field label="From question">
            {(p) => (
              <Choice {...p} value={from} onChange={(e) => setFrom(e.target.value)} options={options("the first")} />
            )}
          </Field>
        </div>
        <div className="w-60">
          <Field label="to question">
            {(p) => <Choice {...p} value={to} onChange={(e) => setTo(e.target.value)} options={options("the last")} />}
          </Field>
        </div>
        <ActionButton
          id="check-this-run"
          label="Use these questions for “Mostly unanswered”"
          icon={Check}
          className="mb-2"
          disabled={!run.length || change.isPending}
          run={() => change.mutate({ screening: { ...settings, questions: run } })}
        />
      </div>
      <Sub>Unanswered questions per case</Sub>
      <HowMany found={found} />
      <Sub>Patterns</Sub>
      <Patterns found={found} />
      <Sub>Question by question</Sub>
      <table className="w-full max-w-3xl text-sm">
        <thead>
          <tr className="border-rule border-y text-left font-serif">
            <th className="py-0.5 font-semibold">Question</th>
            <th className="w-40 font-semibold">Without an answer</th>
            <th className="w-16 text-right font-semibold">%</th>
            <th className="w-16 text-right font-semibold">Blank</th>
            <th className="w-24 text-right font-semibold">No answer</th>
            <th className="w-24 text-right font-semibold">Unrecognised</th>
          </tr>
        </thead>
        <tbody className="figures">
          {found.items.map((item) => {
            const out = (item.blank + item.missing + item.unplaced) / Math.max(found.cases, 1);
            return (
              <tr key={item.variable} className="border-hair border-b">
                <td className="max-w-72 truncate py-0.5 pr-3" title={item.label}>
                  {item.variable}
                </td>
                <td>
                  <span className="block h-2 bg-act" style={{ width: `${100 * out}%` }} />
                </td>
                <td className="text-right">{percent(out)}</td>
                <td className="text-right">{count(item.blank)}</td>
                <td className="text-right">{count(item.missing)}</td>
                <td className={`text-right ${item.unplaced ? "text-heed" : ""}`}>{count(item.unplaced)}</td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
