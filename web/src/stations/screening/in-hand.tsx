import { Check, FunnelSimple, ListChecks } from "@phosphor-icons/react";
import { useNavigate } from "@tanstack/react-router";
import { useCallback, useState } from "react";
import type { Schema, Step } from "../../api/client";
import { useChange, useCodebook, useFindingCases, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextInput } from "../../parts/fields";
import { plural } from "../../parts/figures";
import { Heading, Sub } from "../../parts/panes";
import { EditCell } from "./cells/edit";
import { type InHand as Cell, Grid } from "./cells/grid";
import { CutOff } from "./cut-off";
import { Threshold } from "./influence";
import { type Group, KINDS, titleOf } from "./kinds";

const CELL_KINDS = ["not_placed", "not_in_codebook", "blank"];

/** The code that every such cell takes, in all questions it was found in. */
function GiveCode({ group, codebook }: { group: Group; codebook: Schema["CodebookView"] }) {
  const { addSteps, change } = useChange();
  const [code, setCode] = useState("");
  const views = group.findings.flatMap((f) => codebook.variables.filter((v) => v.variable.name === f.variable));
  const scaleName = views[0]?.variable.scale;
  const scale = scaleName ? codebook.scales[scaleName] : undefined;
  const variables = views.filter((v) => v.variable.scale === scaleName).map((v) => v.variable.name);
  if (!scale)
    return (
      <p className="max-w-xl text-soft text-sm">
        Apply an answer scale to the question first, in the Codebook, or read it as numbers.
      </p>
    );
  const codes = group.kind === "blank" ? (scale.missing ?? []) : [...scale.codes, ...(scale.missing ?? [])];
  const step = (to: number): Step =>
    group.kind === "blank"
      ? { do: "fill_blank", variables, code: to }
      : group.kind === "not_placed"
        ? { do: "code", variables, scale: scaleName ?? null, answers: { [group.value]: to }, otherwise: "flag" }
        : { do: "recode", variables, codes: { [group.value]: to } };
  return (
    <div className="flex max-w-xl items-end gap-3">
      <div className="grow">
        <Field label={`All ${plural(group.cases, "such cell")} mean`}>
          {(p) => (
            <Choice
              {...p}
              value={code}
              onChange={(e) => setCode(e.target.value)}
              options={[["", "choose …"], ...codes.map((c) => [String(c.code), `${c.code}  ${c.label}`] as const)]}
            />
          )}
        </Field>
      </div>
      <ActionButton
        id="fix-finding"
        label="Recode"
        look="strong"
        className="mb-2"
        disabled={!code || change.isPending}
        run={() => {
          addSteps(step(Number(code))).catch(() => {});
        }}
      />
    </div>
  );
}

/** Lets a finding stand, with the reason; it comes back when it changes. */
function Accept({ group }: { group: Group }) {
  const study = useStudy();
  const { change } = useChange();
  const [why, setWhy] = useState("");
  const book = study.document.codebook ?? {};
  const entries = group.findings.map((f) => ({
    variable: f.variable || null,
    kind: f.kind,
    value: f.value || null,
    cases: f.cases,
    why,
  }));
  return (
    <div className="flex max-w-xl items-end gap-3">
      <div className="grow">
        <Field label="Or accept, because">
          {(p) => <TextInput {...p} value={why} onChange={(e) => setWhy(e.target.value)} />}
        </Field>
      </div>
      <ActionButton
        id="accept-finding"
        label="Accept"
        icon={Check}
        className="mb-2"
        disabled={!why.trim() || change.isPending}
        run={() => change.mutate({ codebook: { ...book, accepted: [...(book.accepted ?? []), ...entries] } })}
      />
    </div>
  );
}

/** Takes back that a finding may stand. */
function Reopen({ group }: { group: Group }) {
  const study = useStudy();
  const { change } = useChange();
  const book = study.document.codebook ?? {};
  const alike = (kind: string, value: string | null | undefined, variable: string | null | undefined) =>
    group.findings.some((f) => f.kind === kind && f.value === (value ?? "") && f.variable === (variable ?? ""));
  return (
    <p className="flex items-center gap-3">
      Accepted: {group.accepted}.
      <ActionButton
        id="reopen-finding"
        label="Look at it again"
        run={() =>
          change.mutate({
            codebook: { ...book, accepted: (book.accepted ?? []).filter((a) => !alike(a.kind, a.value, a.variable)) },
          })
        }
      />
    </p>
  );
}

/** A finding with what settles it, and its cells. */
export function InHand({ group }: { group: Group }) {
  const study = useStudy();
  const navigate = useNavigate();
  const { addSteps, change } = useChange();
  const codebook = useCodebook();
  const [at, setAt] = useState(0);
  const finding = group.findings[Math.min(at, group.findings.length - 1)] as Schema["Finding"];
  const data = useFindingCases(finding);
  const [why, setWhy] = useState<string | null>(null);
  const [hand, setHand] = useState<Cell | null>(null);
  const take = useCallback((to: Cell | null) => setHand(to), []);
  const [order, setOrder] = useState<{ by: string | null; down: boolean }>({ by: null, down: false });
  const view = codebook.variables.find((v) => v.variable.name === finding.variable);
  const mend = data.mend;
  return (
    <div>
      <Heading over={`${KINDS[group.kind]?.heading ?? group.kind}: ${KINDS[group.kind]?.says ?? ""}`}>
        {titleOf(group)}
      </Heading>
      {group.kind === "influential" && <Threshold />}
      {(group.kind === "too_fast" || group.kind === "too_little") && <CutOff kind={group.kind} />}
      {group.accepted ? (
        <Reopen group={group} />
      ) : (
        <>
          {CELL_KINDS.includes(group.kind) && <GiveCode group={group} codebook={codebook} />}
          {mend && (
            <div className="max-w-2xl">
              <p className="font-serif">{data.sentence}.</p>
              <Field label="Reason">
                {(p) => <TextInput {...p} value={why ?? mend.why ?? ""} onChange={(e) => setWhy(e.target.value)} />}
              </Field>
              <ActionButton
                id="mend-finding"
                label="Set them aside"
                icon={FunnelSimple}
                look="strong"
                disabled={change.isPending}
                run={() => {
                  addSteps({ ...mend, why: (why ?? mend.why ?? "").trim() || null }).catch(() => {});
                }}
              />
            </div>
          )}
          <Accept group={group} />
          {finding.usual && view?.number && (
            <ActionButton
              id="make-rule"
              label="Make a rule of it …"
              icon={ListChecks}
              run={() =>
                navigate({
                  to: "/study/$id/screening/{-$item}",
                  params: { id: study.id, item: "rules" },
                  search: { where: `${finding.variable} <= ${Number(finding.usual?.high.toPrecision(6))}` },
                })
              }
            />
          )}
        </>
      )}
      <Sub>The cells</Sub>
      {group.findings.length > 1 && (
        <Field label="In the question">
          {(p) => (
            <Choice
              {...p}
              className="!w-96"
              value={String(at)}
              onChange={(e) => setAt(Number(e.target.value))}
              options={group.findings.map((f, i) => [String(i), `${f.variable} (${f.cases})`] as const)}
            />
          )}
        </Field>
      )}
      {view?.variable.label && <p className="mb-2 max-w-3xl font-serif text-sm">{view.variable.label}</p>}
      {hand && hand.row > 0 && <EditCell hand={hand} done={() => {}} />}
      <Grid
        asked={{ finding: { ...finding, accepted: null }, sort: order.by, descending: order.down }}
        first={data.columns.slice(1)}
        hand={hand}
        take={take}
        sort={(by) =>
          setOrder((o) => (o.by !== by ? { by, down: false } : o.down ? { by: null, down: false } : { by, down: true }))
        }
        className="h-96"
      />
    </div>
  );
}
