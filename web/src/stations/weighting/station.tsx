import { Copy, Plus, Trash } from "@phosphor-icons/react";
import { Link, useNavigate, useParams, useSearch } from "@tanstack/react-router";
import type { ReactNode } from "react";
import { useChange, useCodebook, useDesign, useStudy, useWeightings } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { count, plural } from "../../parts/figures";
import { moved } from "../../parts/find-many";
import { arrows, Empty, Panes, Sub } from "../../parts/panes";
import { Sortable, SortableRow } from "../../parts/sortable";
import { Begin } from "./begin";
import { ComparePage } from "./compare";
import { DesignForm } from "./design";
import { Health } from "./health";
import { LimitsPage } from "./limits";
import { MarginInHand } from "./margin";
import { NewMargin } from "./new-margin";
import { Start } from "./start";
import {
  baseSays,
  faultsAt,
  freeName,
  freshWeighting,
  itemOf,
  missed,
  nameOf,
  placeOf,
  type Report,
  titleOf,
  useWeighting,
  type Weighting,
} from "./weights";

function Entry({ item, current, title, says }: { item?: string; current: boolean; title: ReactNode; says: ReactNode }) {
  const study = useStudy();
  return (
    <li>
      <Link
        to="/study/$id/weighting/{-$item}"
        params={{ id: study.id, item }}
        aria-current={current ? "true" : undefined}
        className={`block rounded px-2 py-1.5 hover:bg-wash ${current ? "bg-wash" : ""}`}
      >
        <span className="block font-serif">{title}</span>
        <span className="text-soft text-sm">{says}</span>
      </Link>
    </li>
  );
}

function limitsSay(weighting: Weighting, report?: Report) {
  const { low = 0, high = null } = weighting.limits ?? {};
  if (low === 0 && high == null) return "none";
  const held = report?.at_limits == null ? "" : `; ${count(report.at_limits)} on a limit`;
  return `${low} to ${high ?? "any"} times the mean${held}`;
}

/** The parts of the weighting in hand. */
function Parts({ at, weighting, report, part }: { at: number; weighting: Weighting; report?: Report; part: string }) {
  const margins = weighting.margins ?? [];
  const { save } = useWeighting(at);
  const met = (i: number) => {
    const of = report?.margins[i];
    if (!of) return "not raked";
    return Math.max(...of.rows.map((r) => missed(r, of.total_of != null))) < 1e-6 ? "met" : "not met";
  };
  const within = weighting.within?.length ? `within ${weighting.within.join(" × ")}; ` : "";
  return (
    <ul className="ml-3 border-hair border-l pl-1" onKeyDown={arrows}>
      <Entry
        item={itemOf(at, "begin")}
        current={part === "begin"}
        title="Base weight, groups, scale"
        says={`${within}from ${baseSays(weighting)}${weighting.nonresponse ? ", adjusted for non-response" : ""}`}
      />
      <Sortable
        ids={margins.map((m) => titleOf(m))}
        move={(from, to) => save({ margins: moved(margins, from, to - from) })}
      >
        {margins.map((m, i) => (
          <SortableRow
            key={titleOf(m)}
            id={titleOf(m)}
            label={`the margin ${titleOf(m)}`}
            by={(places) => save({ margins: moved(margins, i, places) })}
            className="flex items-start [&>:first-child]:mt-2 [&>:last-child]:grow"
          >
            <ul>
              <Entry
                item={itemOf(at, `margin-${i}`)}
                current={part === `margin-${i}`}
                title={titleOf(m)}
                says={`${plural(m.targets.length, "target")}, in ${m.as ?? "shares"}; ${met(i)}`}
              />
            </ul>
          </SortableRow>
        ))}
      </Sortable>
      <Entry
        item={itemOf(at, "limits")}
        current={part === "limits"}
        title="Limits"
        says={limitsSay(weighting, report)}
      />
    </ul>
  );
}

/** Every weighting with how it came out; the one in hand with its parts. */
function Contents({
  weightings,
  reports,
  at,
  part,
}: {
  weightings: readonly Weighting[];
  reports: readonly (Report | null)[];
  at: number;
  part: string;
}) {
  const { variables } = useCodebook();
  const shown = weightings.length
    ? weightings
    : [
        freshWeighting(
          [],
          variables.map((v) => v.variable.name),
        ),
      ];
  return (
    <ul onKeyDown={arrows}>
      {shown.map((w, i) => {
        const report = reports[i] ?? undefined;
        return (
          <li key={nameOf(w)}>
            <ul>
              <Entry
                item={itemOf(i)}
                current={i === at && part === ""}
                title={nameOf(w)}
                says={
                  report
                    ? `effective ${count(report.n_effective)} of ${count(report.n)}; ${report.converged ? "margins met" : "margins not met"}`
                    : "no weights yet"
                }
              />
            </ul>
            {i === at && <Parts at={i} weighting={w} report={report} part={part} />}
          </li>
        );
      })}
    </ul>
  );
}

export function WeightingStation() {
  const study = useStudy();
  const navigate = useNavigate();
  const { item } = useParams({ strict: false });
  const { by } = useSearch({ from: "/study/$id/weighting/{-$item}" });
  const { change } = useChange();
  const book = useCodebook();
  const { reports, faults } = useWeightings();
  const design = useDesign();
  const weightings = study.document.weightings ?? [];
  const elsewhere = item === "design" || item === "compare";
  const { at, part } = elsewhere ? { at: 0, part: item } : placeOf(item);
  const variables = book.variables.map((v) => v.variable.name);
  const weighting = weightings[at] ?? freshWeighting([], variables);
  const report = reports[at] ?? undefined;
  const { own, others } = faultsAt(faults, `weightings[${at}]`);
  const outside = others.filter((f) => !f.where?.startsWith("weightings["));
  const mine = [...own, ...outside];
  const place = /^margin-(\d+)$/.exec(part);
  const marginAt = place ? Number(place[1]) : -1;
  const margin = weighting.margins?.[marginAt];
  const go = (to?: string) => navigate({ to: "/study/$id/weighting/{-$item}", params: { id: study.id, item: to } });
  const add = (made: Weighting) => {
    change.mutate({ weightings: [...weightings, made] });
    go(itemOf(weightings.length));
  };
  const there = at === 0 || at < weightings.length;
  return (
    <Panes
      label="Weights and design"
      left={
        <>
          <Sub>Weights</Sub>
          <Contents weightings={weightings} reports={reports} at={at} part={part} />
          <div className="mt-1 flex flex-wrap">
            <ActionButton id="new-margin" label="New margin" keys="n" icon={Plus} run={() => go(itemOf(at, "new"))} />
            {weightings.length > 0 && (
              <>
                <ActionButton
                  id="new-weighting"
                  label="New weighting"
                  icon={Plus}
                  disabled={change.isPending}
                  run={() => add(freshWeighting(weightings, variables))}
                />
                <ActionButton
                  id="copy-weighting"
                  label={`Copy ${nameOf(weighting)}`}
                  icon={Copy}
                  disabled={change.isPending}
                  run={() => add({ ...weighting, save_as: freeName(weightings, variables, nameOf(weighting)) })}
                />
                <ActionButton
                  id="drop-weighting"
                  label={`Remove ${nameOf(weighting)}`}
                  icon={Trash}
                  look="quiet"
                  disabled={change.isPending}
                  run={() => {
                    change.mutate({ weightings: weightings.filter((_, i) => i !== at) });
                    go(undefined);
                  }}
                />
              </>
            )}
          </div>
          {weightings.length > 0 && (
            <ul>
              <Entry
                item="compare"
                current={item === "compare"}
                title="Compare weights"
                says={`unweighted${weightings.map((w) => `, ${nameOf(w)}`).join("")}`}
              />
            </ul>
          )}
          <Sub>Sample design</Sub>
          <ul>
            <Entry
              item="design"
              current={item === "design"}
              title="Strata, clusters, standard errors"
              says={
                design.psus == null
                  ? "does not fit yet"
                  : `${plural(design.strata ?? 0, "stratum", "strata")}, ${plural(design.psus, "first-stage unit")}, ${plural(design.degrees_of_freedom ?? 0, "degree")} of freedom${design.notices?.length ? `; ▲ ${plural(design.notices.length, "note")}` : ""}`
              }
            />
          </ul>
        </>
      }
      right={
        item === "design" ? (
          <DesignForm view={design} codebook={book} />
        ) : item === "compare" ? (
          <ComparePage codebook={book} />
        ) : !there ? (
          <Empty title="There is no such weighting">Choose one on the left.</Empty>
        ) : part === "new" ? (
          <NewMargin key={`${at} ${by ?? ""}`} at={at} codebook={book} />
        ) : part === "begin" ? (
          <Begin key={`${at} ${nameOf(weighting)}`} at={at} codebook={book} report={report} faults={mine} />
        ) : part === "limits" ? (
          <LimitsPage key={at} at={at} report={report} faults={mine} />
        ) : margin ? (
          <MarginInHand
            key={`${at}-${marginAt}-${titleOf(margin)}`}
            weightingAt={at}
            at={marginAt}
            margin={margin}
            codebook={book}
            report={report}
            faults={mine}
          />
        ) : part ? (
          <Empty title="There is no such margin">Choose one on the left.</Empty>
        ) : weightings.length || mine.length ? (
          <Health key={at} at={at} report={report} faults={mine} />
        ) : (
          <Start at={at} codebook={book} />
        )
      }
    />
  );
}
