import { GitFork, ListPlus, Scales, UsersThree } from "@phosphor-icons/react";
import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
import { type FigureKey, useDepends } from "../../../api/depends";
import { tableQuery, useChange, useSaved } from "../../../api/queries";
import { statisticName, useVocabulary } from "../../../api/vocabulary";
import { ActionButton } from "../../../parts/actions";
import { plural } from "../../../parts/figures";
import { Empty, Heading } from "../../../parts/panes";
import { columnLabel, rowLabel } from "../headings";
import { Combinations } from "./combinations";
import { FigureDecisions } from "./figure-decisions";
import { Influence } from "./influence";
import { Back, Standing } from "./standing";
import { keyOf, movedOf, pathsOf, saysMoved } from "./words";

const MOST_PATHS = 512;
export type Show = "decisions" | "combinations" | "cases";

const same = (a: FigureKey, b: FigureKey) => JSON.stringify(keyOf(a)) === JSON.stringify(keyOf(b));

/** What one figure depends on: each decision, their combinations, and the cases that carry it. */
export function FigureDepends({ table, figure, show }: { table: string; figure: FigureKey; show: Show }) {
  const study = useSaved();
  const vocabulary = useVocabulary();
  const navigate = useNavigate();
  const { change } = useChange();
  const { data } = useQuery(tableQuery(study.id, study.edition, table));
  const found = useDepends(study.id, study.edition, table, false);
  const [chosen, setChosen] = useState<readonly string[]>([]);
  const result = data?.result;
  const cell = result?.cells.find((c) => same(c, figure));
  if (!data) return <p className="text-soft">Calculating …</p>;
  if (!result || !cell)
    return <Empty title="There is no such figure">It is not in the table any more, or is not shown.</Empty>;
  const moved = movedOf(found.lines, cell);
  const lines = found.lines.filter((line) => chosen.includes(line.id));
  const paths = pathsOf(lines);
  const open = (to: Show) =>
    navigate({
      to: "/study/$id/tables/{-$item}",
      params: { id: study.id, item: `_depends.${table}` },
      search: { figure: { stub: figure.stub, banner: figure.banner, stat: figure.stat }, show: to } as never,
      replace: true,
    });
  const key = { stub: cell.stub, banner: cell.banner, stat: cell.stat };
  const appendix = study.document.release?.depends ?? [];
  const inAppendix = appendix.some((of) => of.table === table && same(of as never, cell));
  return (
    <article className="max-w-5xl">
      <Back item={table} label={result.title} />
      <Heading over="What this figure depends on">
        {rowLabel(result, cell.stub)} ·{" "}
        {columnLabel(
          result,
          cell.banner.map((b) => b.variable),
          cell.banner.map((b) => b.net ?? b.code ?? ""),
        )}{" "}
        · {statisticName(vocabulary, cell.stat)}
      </Heading>
      <nav aria-label="Sensitivity" className="mb-2 flex flex-wrap gap-1">
        <ActionButton
          id="depends-decisions"
          label="Decisions"
          icon={Scales}
          pressed={show === "decisions"}
          run={() => open("decisions")}
        />
        <ActionButton
          id="depends-combinations"
          label={
            lines.length ? `Combine ${plural(lines.length, "decision")}: ${plural(paths, "way")}` : "Combine decisions"
          }
          icon={GitFork}
          pressed={show === "combinations"}
          disabled={paths > MOST_PATHS}
          run={() => open("combinations")}
        />
        <ActionButton
          id="depends-cases"
          label="Influential cases"
          icon={UsersThree}
          pressed={show === "cases"}
          run={() => open("cases")}
        />
        <ActionButton
          id="depends-appendix"
          label={inAppendix ? "Remove from the release’s appendix" : "Add to the release’s appendix"}
          icon={ListPlus}
          pressed={inAppendix}
          run={() =>
            change.mutate((document) => {
              const there = document.release?.depends ?? [];
              const rest = there.filter((of) => !(of.table === table && same(of as never, cell)));
              const depends = rest.length < there.length ? rest : [...there, { table, ...key }];
              return { release: { ...(document.release ?? {}), depends } as never };
            })
          }
        />
      </nav>
      {show === "cases" ? (
        <Influence table={table} cell={cell} />
      ) : (
        <>
          {show === "combinations" &&
            (lines.length ? (
              <Combinations table={table} cell={cell} chosen={lines} />
            ) : (
              <p className="my-2 text-soft text-sm">
                Tick the decisions below that could have been made differently; the figure is calculated for every
                combination of them.
              </p>
            ))}
          <Standing found={found} what="decisions left out" />
          {show === "decisions" && found.done && !found.refusal && (
            <p className="my-1 max-w-prose font-serif">{saysMoved(moved, cell)}</p>
          )}
          <FigureDecisions
            moved={moved}
            cell={cell}
            chosen={chosen}
            choose={(id, on) => setChosen(on ? [...chosen, id] : chosen.filter((other) => other !== id))}
          />
        </>
      )}
    </article>
  );
}
