import { Check, X } from "@phosphor-icons/react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { api, got, Refusal, type Schema } from "../../api/client";
import { useChange, useStudy } from "../../api/queries";
import { ActionButton } from "../../parts/actions";
import { count, decimals, percent, plural } from "../../parts/figures";
import { Faults } from "../../parts/notices";
import { Heading, Sub } from "../../parts/panes";

type Refresh = Schema["RefreshView"];

function Moved({ before, after, digits = 0 }: { before: number; after: number | null | undefined; digits?: number }) {
  return (
    <span className="figures">
      {decimals(before, digits)} → {after == null ? "stops" : decimals(after, digits)}
    </span>
  );
}

function Report({ look }: { look: Refresh }) {
  const { drift } = look;
  const columns = Object.entries(drift.new_columns);
  const gone = Object.entries(drift.missing_columns);
  return (
    <>
      <dl className="grid max-w-2xl grid-cols-3 gap-6">
        {(
          [
            ["Cases received", drift.records_before, drift.records_after],
            ["In use after the ledger", look.used_before, look.used_after],
            ["Findings", look.findings_before, look.findings_after],
          ] as const
        ).map(([name, before, after]) => (
          <div key={name}>
            <dt className="text-soft text-sm">{name}</dt>
            <dd className="font-serif text-xl">
              <Moved before={before} after={after} />
            </dd>
          </div>
        ))}
      </dl>
      {look.faults.length > 0 && (
        <>
          <Sub>What would then stop</Sub>
          <Faults faults={look.faults} />
        </>
      )}
      <Sub>Columns</Sub>
      {!columns.length && !gone.length && <p>The same columns as before.</p>}
      <ul>
        {columns.map(([name, label]) => (
          <li key={name}>
            New: <span className="font-semibold">{name}</span> <span className="font-serif text-soft">{label}</span>
          </li>
        ))}
        {gone.map(([name, label]) => (
          <li key={name} className="text-heed">
            ▲ No longer there: <span className="font-semibold">{name}</span> <span className="font-serif">{label}</span>
          </li>
        ))}
      </ul>
      <Sub>Answers never seen before</Sub>
      {!drift.new_answers.length && <p>None in questions of few answers.</p>}
      <ul>
        {drift.new_answers.map((column) => (
          <li key={column.column}>
            <span className="font-semibold">{column.column}</span>:{" "}
            {Object.entries(column.answers)
              .slice(0, 8)
              .map(([text, n]) => `“${text}” (${count(n)})`)
              .join(", ")}
          </li>
        ))}
      </ul>
      <Sub>Weights and tables</Sub>
      <ul>
        {look.weights.map((w) => (
          <li key={w.save_as}>
            {w.save_as}: effective sample size <Moved before={w.n_effective} after={w.n_effective_after} />, largest
            weight <Moved before={w.max} after={w.max_after} digits={2} />
          </li>
        ))}
        {look.tables.map((t) => (
          <li key={t.table}>
            {t.title}: {count(t.changed)} of {plural(t.figures, "figure")} would change
            {t.largest > 0 && `, shares by up to ${percent(t.largest)} points`}
          </li>
        ))}
      </ul>
    </>
  );
}

/** What a newer file would change; it is taken over or turned down whole. */
export function NewerFile({ file }: { file: string }) {
  const study = useStudy();
  const navigate = useNavigate();
  const { settle, refuse, edition } = useChange();
  const { data, error } = useQuery({
    queryKey: ["newer", study.id, study.edition, file],
    queryFn: () =>
      got(
        api.POST("/api/v1/studies/{study_id}/newer", { params: { path: { study_id: study.id } }, body: { id: file } }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const back = () => navigate({ to: "/study/$id/intake/{-$item}", params: { id: study.id, item: undefined } });
  const take = useMutation({
    mutationFn: () =>
      got(
        api.PUT("/api/v1/studies/{study_id}/source", {
          params: { path: { study_id: study.id }, query: { edition: edition() } },
          body: { id: data?.file ?? "" },
        }),
      ),
    onSuccess: (view) => {
      settle(view);
      back();
    },
    onError: refuse,
  });
  if (error)
    return <Faults faults={error instanceof Refusal ? error.faults : [{ what: error.message, where: "", mend: "" }]} />;
  if (!data) return <p className="text-soft">Running everything done so far on the newer file …</p>;
  return (
    <div className="max-w-3xl">
      <Heading over="A newer file; nothing has been taken over yet">{data.name}</Heading>
      <div className="mb-4 flex gap-2">
        <ActionButton
          id="take-newer"
          label="Take it over"
          icon={Check}
          look="strong"
          disabled={take.isPending}
          run={() => take.mutate()}
        />
        <ActionButton id="refuse-newer" label="Turn it down" icon={X} run={back} />
      </div>
      <Report look={data} />
    </div>
  );
}
