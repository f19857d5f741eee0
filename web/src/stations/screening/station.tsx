import { FunnelSimple } from "@phosphor-icons/react";
import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useState } from "react";
import { api, got, type Schema } from "../../api/client";
import { useChange, useCodebook, useFindingCases, useFindings, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { Choice, Field, TextArea, TextInput } from "../../parts/fields";
import { count, plural } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { arrows, Empty, Heading, Panes, Sub } from "../../parts/panes";
import { useWaited } from "../../parts/waited";

const KINDS: Record<string, string> = { not_in_codebook: "code not in the codebook", not_placed: "entry not placed" };
const key = (f: Schema["Finding"]) => `${f.variable}~${f.kind}~${f.value}`;

/** Cases set aside by a condition; how many it is true of is said before anything is done. */
function SetAside() {
  const study = useStudy();
  const { addSteps, change } = useChange();
  const [where, setWhere] = useState("");
  const [why, setWhy] = useState("");
  const settled = useWaited(where.trim(), 250);
  const { data: tried } = useQuery({
    queryKey: ["condition", study.id, study.edition, settled],
    enabled: settled !== "",
    queryFn: () =>
      got(
        api.POST("/api/v1/studies/{study_id}/condition", {
          params: { path: { study_id: study.id } },
          body: { where: settled },
        }),
      ),
  });
  const current = settled === where.trim() ? tried : undefined;
  return (
    <section aria-label="Set cases aside" className="max-w-2xl">
      <Heading over="An entry of the ledger; it can be switched off again">Set cases aside</Heading>
      <Field
        label="Where this is true"
        hint="For example entry_status == 'Staff test', or seconds < 120, or missing(sex)"
      >
        {(p) => (
          <TextArea {...p} rows={2} spellCheck={false} value={where} onChange={(e) => setWhere(e.target.value)} />
        )}
      </Field>
      {current && <Faults faults={current.faults} />}
      <p className="text-sm" role="status">
        {current?.cases != null && `True of ${plural(current.cases, "case")} of ${count(current.of)}.`}
      </p>
      <Field label="Why">
        {(p) => (
          <TextInput
            {...p}
            value={why}
            onChange={(e) => setWhy(e.target.value)}
            placeholder="made by our own staff while testing"
          />
        )}
      </Field>
      <ActionButton
        id="set-aside"
        label="Set them aside"
        icon={FunnelSimple}
        look="strong"
        disabled={!current?.cases || change.isPending}
        run={() => {
          addSteps({ do: "drop_cases", where: where.trim(), why: why.trim() || null }).then(
            () => {
              setWhere("");
              setWhy("");
            },
            () => {},
          );
        }}
      />
    </section>
  );
}

function InHand({ finding }: { finding: Schema["Finding"] }) {
  const { addSteps, change } = useChange();
  const data = useFindingCases(finding);
  const book = useCodebook();
  const view = book.variables.find((v) => v.variable.name === finding.variable);
  const scale = view?.variable.scale ? book.scales[view.variable.scale] : undefined;
  const [code, setCode] = useState("");
  const codes = [...(scale?.codes ?? []), ...(scale?.missing ?? [])];
  const fix = () => {
    const to = Number(code);
    const variables = [finding.variable];
    const step =
      finding.kind === "not_placed"
        ? {
            do: "code" as const,
            variables,
            scale: view?.variable.scale ?? null,
            answers: { [finding.value]: to },
            otherwise: "flag" as const,
          }
        : { do: "recode" as const, variables, codes: { [finding.value]: to } };
    addSteps(step).catch(() => {});
  };
  return (
    <div>
      <Heading over={`${finding.variable}: ${KINDS[finding.kind] ?? finding.kind}`}>“{finding.value}”</Heading>
      <p className="mb-3 font-serif">{view?.variable.label}</p>
      {codes.length > 0 && (
        <div className="flex max-w-xl items-end gap-3">
          <div className="grow">
            <Field label={`All ${plural(finding.cases, "such entry", "such entries")} mean`}>
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
            label="Give them this code"
            look="strong"
            className="mb-2"
            disabled={!code || change.isPending}
            run={fix}
          />
        </div>
      )}
      <Sub>The cells</Sub>
      <table className="text-sm">
        <thead>
          <tr className="border-rule border-y text-left font-serif">
            {data.columns.map((c) => (
              <th key={c} className="py-1 pr-8 font-semibold">
                {c}
              </th>
            ))}
          </tr>
        </thead>
        <tbody className="figures">
          {data.rows.map((row) => (
            <tr key={row[0]} className="border-hair border-b">
              {row.map((cell, i) => (
                <td key={data.columns[i]} className="whitespace-pre py-0.5 pr-8">
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}

export function ScreeningStation() {
  const study = useStudy();
  const navigate = useNavigate();
  const { item } = useParams({ strict: false });
  const findings = useFindings();
  const current = findings.find((f) => key(f) === item);
  return (
    <Panes
      label="Findings"
      left={
        <>
          <ActionButton
            id="open-set-aside"
            label="Set cases aside …"
            icon={FunnelSimple}
            pressed={!item}
            run={() => navigate({ to: "/study/$id/screening/{-$item}", params: { id: study.id, item: undefined } })}
          />
          <Sub>{findings.length ? plural(findings.length, "finding") : "No findings"}</Sub>
          {!findings.length && (
            <p className="text-sm text-soft">
              Every code is in the codebook and every entry of a coded question or a number could be placed.
            </p>
          )}
          <ul onKeyDown={arrows}>
            {findings.map((f) => (
              <li key={key(f)}>
                <Link
                  to="/study/$id/screening/{-$item}"
                  params={{ id: study.id, item: key(f) }}
                  className={`block rounded px-2 py-1.5 hover:bg-wash ${key(f) === item ? "bg-wash" : ""}`}
                >
                  <span className="flex justify-between gap-2">
                    <span className="truncate font-serif">“{f.value}”</span>
                    <span className="figures text-soft text-sm">{count(f.cases)}</span>
                  </span>
                  <span className="text-sm text-soft">
                    <span className="text-heed">▲</span> {f.variable}, {KINDS[f.kind] ?? f.kind}
                  </span>
                </Link>
              </li>
            ))}
          </ul>
        </>
      }
      right={
        current ? (
          <InHand key={key(current)} finding={current} />
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
