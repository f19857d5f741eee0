import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../../api/client";
import { type DependenceLine, useDepends } from "../../../api/depends";
import { tableQuery, useCodebook, useSaved } from "../../../api/queries";
import { statisticName, useVocabulary } from "../../../api/vocabulary";
import { decimals } from "../../../parts/figures";
import { Empty, Heading, Sub } from "../../../parts/panes";
import { itemOf, PARTS, type Part } from "../analyses/plan";
import { columnLabel, rowLabel } from "../headings";
import { Decisions, partsOf, ReadingToo } from "./plan-page";
import { Back, Standing } from "./standing";
import { TurnedTests } from "./turned";
import { keyOf } from "./words";

/** Figures of a table by the largest change that any decision makes in them. */
export function mostMoved(lines: readonly DependenceLine[], first: number) {
  const found = new Map<string, { cell: Schema["DependentCell"]; inSe: number; says: string }>();
  for (const line of lines)
    for (const cell of line.tables[0]?.cells ?? []) {
      const key = JSON.stringify(keyOf(cell as never));
      const inSe = Math.abs(cell.in_se ?? 0);
      if (inSe > (found.get(key)?.inSe ?? -1)) found.set(key, { cell, inSe, says: line.instead ?? line.says });
    }
  return [...found.values()].sort((a, b) => b.inSe - a.inSe).slice(0, first);
}

/** What a column of an analysis' figures is called. */
function analysisFigure(of: Record<string, unknown>, label: (variable: string, code: number) => string): string {
  if (of.term) {
    const term = of.term as { variable: string; code?: number }[];
    const said = term.map((f) => (f.code == null ? f.variable : `${f.variable}: ${label(f.variable, f.code)}`));
    return said.join(" × ") || "Intercept";
  }
  return of.a ? `${of.a}, ${of.b}` : "Alpha";
}

/** The address of a table or an analysis itself. */
function home(document: Schema["Study"], id: string): string {
  const part = PARTS.find(({ part }) => (document[part] ?? []).some((of) => of.id === id));
  return part ? itemOf(part.part as Part, id) : id;
}

/** What one table or analysis depends on: decisions, and its figures that they move most. */
export function PartDepends({ id }: { id: string }) {
  const study = useSaved();
  const vocabulary = useVocabulary();
  const [reading, setReading] = useState(false);
  const found = useDepends(study.id, study.edition, id, reading);
  const book = useCodebook();
  const label = (variable: string, code: number) => {
    const scale = book.variables.find((v) => v.variable.name === variable)?.variable.scale;
    const answers = scale ? study.document.codebook?.scales?.[scale]?.codes : undefined;
    return answers?.find((answer) => answer.code === code)?.label ?? String(code);
  };
  const isTable = (study.document.tables ?? []).some((t) => t.id === id);
  const { data } = useQuery({ ...tableQuery(study.id, study.edition, id), enabled: isTable });
  const called = partsOf(study.document).find((part) => part.id === id)?.called;
  if (!called) return <Empty title="There is no such table">Choose another on the left.</Empty>;
  const figures = mostMoved(found.lines, 12);
  const moved = found.lines
    .flatMap((line) => (line.analyses[0]?.figures ?? []).map((figure) => ({ line, figure })))
    .sort((a, b) => Math.abs(b.figure.in_se ?? 0) - Math.abs(a.figure.in_se ?? 0))
    .slice(0, 12);
  const result = data?.result;
  return (
    <article className="max-w-4xl">
      <Back item={home(study.document, id)} label={isTable ? "The table" : "The analysis"} />
      <Heading over="Sensitivity: recalculated, leaving out one decision at a time">{called}</Heading>
      <ReadingToo reading={reading} set={setReading} />
      <Standing found={found} what="decisions left out" />
      <Decisions lines={found.lines} />
      {found.done && isTable && result && (
        <>
          <Sub>Tests and letters that change</Sub>
          <TurnedTests lines={found.lines} result={result} />
          <Sub>Figures that move most</Sub>
          <ul className="text-sm">
            {figures.map(({ cell, inSe, says }) => (
              <li key={JSON.stringify(keyOf(cell as never))} className="py-0.5">
                <Link
                  to="/study/$id/tables/{-$item}"
                  params={{ id: study.id, item: `_depends.${id}` }}
                  search={{ figure: { stub: cell.stub, banner: cell.banner, stat: cell.stat } } as never}
                  className="text-act hover:underline"
                >
                  {rowLabel(result, cell.stub)} ·{" "}
                  {columnLabel(
                    result,
                    cell.banner.map((b) => b.variable),
                    cell.banner.map((b) => b.net ?? b.code ?? ""),
                  )}{" "}
                  · {statisticName(vocabulary, cell.stat)}
                </Link>{" "}
                <span className="text-soft">
                  {inSe > 0 ? `${decimals(inSe, 2)} standard errors: ${says}` : "moved by none"}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      {found.done && moved.length > 0 && (
        <>
          <Sub>Figures that move most</Sub>
          <ul className="text-sm">
            {moved.map(({ line, figure }) => (
              <li key={`${line.id} ${JSON.stringify(figure.of)}`} className="py-0.5">
                {analysisFigure(figure.of, label)}{" "}
                <span className="tabular-nums">
                  {decimals(figure.est, 3)}
                  {figure.without != null && ` → ${decimals(figure.without, 3)}`}
                </span>{" "}
                <span className="text-soft">
                  {figure.in_se == null ? "" : `${decimals(Math.abs(figure.in_se), 2)} standard errors: `}
                  {line.instead ?? line.says}
                  {figure.turned ? "; its test turns" : ""}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
    </article>
  );
}
