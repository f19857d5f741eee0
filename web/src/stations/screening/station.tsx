import { ChartBarHorizontal, FunnelSimple, GridFour, Hash, ListChecks, Path, UsersThree } from "@phosphor-icons/react";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useChange, useFindings, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { count, plainly } from "../../parts/figures";
import { arrows, Empty, Heading, Panes, Sub } from "../../parts/panes";
import { CellsPage } from "./cells/page";
import { CutOff } from "./cut-off";
import { Flow } from "./flow";
import { InHand } from "./in-hand";
import { INFLUENCE, Threshold } from "./influence";
import { type Group, groupsOf, KINDS, titleOf } from "./kinds";
import { LeftOut } from "./left-out";
import { RecordPage } from "./record";
import { Rules } from "./rules";
import { SetAside } from "./set-aside";

function Item({ group, current }: { group: Group; current: boolean }) {
  const study = useStudy();
  const variables = group.findings.map((f) => f.variable).filter(Boolean);
  const said = variables.length > 1 ? `in ${variables.length} questions` : (variables[0] ?? "");
  return (
    <li>
      <Link
        to="/study/$id/screening/{-$item}"
        params={{ id: study.id, item: group.key }}
        aria-current={current ? "true" : undefined}
        className={`block rounded px-2 py-1 hover:bg-wash ${current ? "bg-wash" : ""}`}
      >
        <span className="flex justify-between gap-2">
          <span className="truncate font-serif">{titleOf(group)}</span>
          <span className="figures shrink-0 text-soft text-sm">{count(group.cases)}</span>
        </span>
        <span className="block truncate text-soft text-sm">
          {group.accepted ? "✓ accepted: " : ""}
          {group.accepted ?? said}
        </span>
      </Link>
    </li>
  );
}

export function ScreeningStation() {
  const study = useStudy();
  const navigate = useNavigate();
  const { item } = useParams({ strict: false });
  const { change } = useChange();
  const groups = groupsOf(useFindings());
  const seeking = study.document.screening?.influence != null;
  const current = groups.find((g) => g.key === item);
  const open = (to: string | undefined) =>
    navigate({ to: "/study/$id/screening/{-$item}", params: { id: study.id, item: to }, search: {} });
  const kinds = [...new Set(groups.map((g) => g.kind))];
  return (
    <Panes
      label="Findings"
      left={
        <>
          <nav aria-label="Screening" className="grid grid-cols-2">
            <ActionButton
              id="open-flow"
              label="Flow of cases"
              icon={Path}
              pressed={item === "flow"}
              run={() => open("flow")}
            />
            <ActionButton
              id="open-cells"
              label="All cells"
              icon={GridFour}
              pressed={item === "cells"}
              run={() => open("cells")}
            />
            <ActionButton
              id="open-left-out"
              label="Item non-response"
              icon={ChartBarHorizontal}
              pressed={item === "left-out"}
              run={() => open("left-out")}
            />
            <ActionButton
              id="open-set-aside"
              label="Set cases aside …"
              icon={FunnelSimple}
              pressed={!item}
              run={() => open(undefined)}
            />
            <ActionButton
              id="seek-influential"
              label="Influential cases"
              icon={UsersThree}
              pressed={seeking}
              run={() =>
                change.mutate((document) => ({
                  screening: { ...document.screening, influence: seeking ? null : INFLUENCE },
                }))
              }
            />
            <ActionButton
              id="open-rules"
              label="Rules …"
              icon={ListChecks}
              pressed={item === "rules"}
              run={() => open("rules")}
            />
            {study.source.sample && (
              <ActionButton
                id="open-record"
                label="A record …"
                icon={Hash}
                pressed={item === "record"}
                run={() => open("record")}
              />
            )}
          </nav>
          {!groups.length && (
            <>
              <Sub>No findings</Sub>
              <p className="text-soft text-sm">
                No check finds anything in the answers as they stand after the ledger.
              </p>
            </>
          )}
          {seeking && !kinds.includes("influential") && (
            <>
              <Sub>{KINDS.influential?.heading}</Sub>
              <p className="text-soft text-sm">
                No case contributes more than {plainly(study.document.screening?.influence ?? INFLUENCE)} standard
                errors to the mean of any number.
              </p>
              <Threshold />
            </>
          )}
          <ul onKeyDown={arrows}>
            {kinds.map((kind) => (
              <li key={kind}>
                <Sub>{KINDS[kind]?.heading ?? kind}</Sub>
                <ul>
                  {groups
                    .filter((g) => g.kind === kind)
                    .map((g) => (
                      <Item key={g.key} group={g} current={g.key === item} />
                    ))}
                </ul>
              </li>
            ))}
          </ul>
        </>
      }
      right={
        item === "rules" ? (
          <Rules />
        ) : item === "flow" ? (
          <Flow />
        ) : item === "cells" ? (
          <CellsPage />
        ) : item === "left-out" ? (
          <LeftOut />
        ) : item === "record" && study.source.sample ? (
          <RecordPage />
        ) : current ? (
          <InHand key={current.key} group={current} />
        ) : item === "too_fast" || item === "too_little" ? (
          <>
            <Heading over={KINDS[item]?.heading}>No case is below the cut-off</Heading>
            <CutOff kind={item} />
          </>
        ) : item ? (
          <Empty title="This finding is settled">
            It is no longer found in the answers. Choose another on the left.
          </Empty>
        ) : (
          <SetAside />
        )
      }
    />
  );
}
