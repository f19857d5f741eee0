import { Link } from "@tanstack/react-router";
import { useState } from "react";
import type { Schema } from "../../../api/client";
import { type DependenceLine, EVERY_TABLE, useDepends } from "../../../api/depends";
import { useSaved } from "../../../api/queries";
import { Tick } from "../../../parts/fields";
import { decimals, plural } from "../../../parts/figures";
import { Bar, Heading } from "../../../parts/panes";
import { calledOf, PARTS } from "../analyses/plan";
import { Alternatives } from "./alternatives";
import { Also } from "./figure-decisions";
import { Columns, Standing } from "./standing";
import { SMALL } from "./words";

const COLUMNS = [
  ["Without", "words"],
  ["As a bar", "drawn", "w-40"],
  ["Largest", "number"],
  ["Tests changed", "number"],
] as const;

const most = (line: DependenceLine) => Math.max(0, ...Object.values(line.largest));

/** Tables and analyses of a study, by what they are called. */
export function partsOf(document: Schema["Study"]): { id: string; called: string }[] {
  const tables = (document.tables ?? []).map((t) => ({ id: t.id, called: t.title ?? t.id }));
  const others = PARTS.flatMap(({ part }) =>
    (document[part] ?? []).map((of) => ({ id: of.id, called: calledOf(part, of as never) })),
  );
  return [...tables, ...others];
}

/** What there is not without a decision: whole tables are said once. */
export function saysGone({ lost, gone }: Pick<DependenceLine, "lost" | "gone">): string {
  const parts = [
    lost.length > 0 && plural(lost.length, "table or analysis", "tables and analyses"),
    gone > 0 && plural(gone, "figure"),
  ].filter(Boolean);
  return parts.length ? `${parts.join(", ")} lost` : "";
}

/** Decisions by the largest change that they make in what was worked out. */
export function Decisions({ lines }: { lines: readonly DependenceLine[] }) {
  const rank = (line: DependenceLine) => (line.refused ? -1 : most(line));
  const sorted = [...lines].sort((a, b) => rank(b) - rank(a) || b.lost.length - a.lost.length || b.gone - a.gone);
  const top = Math.max(...lines.filter((l) => l.kind !== "weight").map(most), 1);
  return (
    <table className="w-full text-sm">
      <caption className="pb-1 text-left text-soft text-xs">
        The largest change of any figure, in its own standard errors; longer bars of other weights are cut off
      </caption>
      <Columns of={COLUMNS} />
      <tbody>
        {sorted.map((line) => (
          <tr key={line.id} className="border-hair border-b">
            <th scope="row" className="py-1 pr-4 text-left font-normal">
              {line.says}
              {line.instead && <span className="block text-soft text-xs">instead: {line.instead}</span>}
              <Also line={line} />
              {line.refused && (
                <span className="block text-soft text-xs">cannot be calculated: {line.refused.what}</span>
              )}
            </th>
            <td>{!line.refused && <Bar share={Math.min(most(line) / top, 1)} heed={most(line) > SMALL} />}</td>
            <td className="whitespace-nowrap px-2 text-right tabular-nums">
              {line.refused ? "" : saysGone(line) || decimals(most(line), 2)}
            </td>
            <td className="px-2 text-right tabular-nums">
              {line.refused || !line.turned ? "" : line.turned}
              {!line.refused && line.untested > 0 && (
                <span className="block text-soft text-xs">{line.untested} without a test</span>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** Asks for entries that only make answers readable, too. */
export function ReadingToo({ reading, set }: { reading: boolean; set: (reading: boolean) => void }) {
  return (
    <Tick
      label="Also leave out entries that only make answers readable (renamed, coded, split, read as numbers)"
      checked={reading}
      onChange={(e) => set(e.target.checked)}
    />
  );
}

/** What the whole plan depends on: decisions by the largest change that they make anywhere. */
export function PlanDepends() {
  const study = useSaved();
  const [reading, setReading] = useState(false);
  const found = useDepends(study.id, study.edition, EVERY_TABLE, reading);
  const { lines, done, refusal } = found;
  const hangs = partsOf(study.document)
    .map((part) => {
      const by = lines
        .map((l) => [l.largest[part.id] ?? 0, l.instead ? `with ${l.instead}` : `without “${l.says}”`] as const)
        .sort((a, b) => b[0] - a[0])[0];
      return { part, by };
    })
    .sort((a, b) => (b.by?.[0] ?? 0) - (a.by?.[0] ?? 0));
  return (
    <article className="max-w-4xl">
      <Heading over="Every table and analysis recalculated, leaving out one decision at a time">
        Sensitivity of the figures
      </Heading>
      <ReadingToo reading={reading} set={setReading} />
      <Standing found={found} what="decisions left out" />
      <Decisions lines={lines} />
      {done && !refusal && (
        <>
          <h2 className="mt-5 mb-1.5 border-rule border-b pb-0.5 font-semibold font-serif text-lg">
            Tables by sensitivity to a single decision
          </h2>
          <ul className="text-sm">
            {hangs.map(({ part, by }) => (
              <li key={part.id} className="py-0.5">
                <Link
                  to="/study/$id/tables/{-$item}"
                  params={{ id: study.id, item: `_depends.${part.id}` }}
                  className="text-act hover:underline"
                >
                  {part.called}
                </Link>{" "}
                <span className="text-soft">
                  {by && by[0] > 0 ? `${decimals(by[0], 2)} standard errors ${by[1]}` : "not affected by any"}
                </span>
              </li>
            ))}
          </ul>
        </>
      )}
      <Alternatives />
    </article>
  );
}
