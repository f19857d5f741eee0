import { Check, X } from "@phosphor-icons/react";
import { useMutation, useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { useState } from "react";
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

const STATS: Record<string, string> = {
  col_pct: "column %",
  row_pct: "row %",
  total_pct: "total %",
  response_pct: "% of responses",
};

/** Every figure of a table that moves, before and after. */
function Figures({ moved }: { moved: readonly Schema["MovedFigure"][] }) {
  const shown = (stat: string, value: number | null | undefined) =>
    value == null ? "none" : stat.endsWith("_pct") ? percent(value) : decimals(value, stat === "n" ? 0 : 2);
  return (
    <table className="my-1 w-full text-sm">
      <thead>
        <tr className="border-rule border-y text-left font-serif">
          <th className="py-0.5 font-semibold">Row</th>
          <th className="font-semibold">Column</th>
          <th className="font-semibold">Figure</th>
          <th className="text-right font-semibold">Before</th>
          <th className="text-right font-semibold">After</th>
        </tr>
      </thead>
      <tbody className="figures">
        {moved.map((m) => (
          <tr key={`${m.stub}|${m.banner}|${m.stat}`} className="border-hair border-b">
            <td className="py-px pr-4">{m.stub}</td>
            <td className="pr-4">{m.banner}</td>
            <td className="pr-4">{STATS[m.stat] ?? m.stat}</td>
            <td className="text-right">{shown(m.stat, m.before)}</td>
            <td className="text-right">{shown(m.stat, m.after)}</td>
          </tr>
        ))}
      </tbody>
    </table>
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
      {look.entries.length > 0 && (
        <>
          <Sub>Entries of the ledger that no longer fit</Sub>
          <ul>
            {look.entries.map((entry) => (
              <li key={entry.step} className="border-hair border-b py-1">
                {entry.step}. <span className="font-serif">{entry.sentence}.</span>
                <span className="block text-heed text-sm">
                  ▲ {entry.fault.what} {entry.fault.mend}
                </span>
              </li>
            ))}
          </ul>
          <p className="text-soft text-sm">
            After import they can be switched off, corrected or deleted in the ledger.
          </p>
        </>
      )}
      {look.faults.length > 0 && !look.entries.length && (
        <>
          <Sub>Blocking problems</Sub>
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
      {!drift.new_answers.length && <p>None in questions with few distinct answers.</p>}
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
      {look.drift.counts.length > 0 && (
        <>
          <Sub>Answers given more or less often</Sub>
          <ul className="max-h-64 overflow-y-auto">
            {[...look.drift.counts]
              .sort((a, b) => b.moved - a.moved)
              .map((column) => (
                <li key={column.column} className="border-hair border-b py-0.5 text-sm">
                  <span className="font-semibold">{column.column}</span>, by up to {percent(column.moved)} points:{" "}
                  <span className="figures">
                    {column.answers
                      .slice(0, 4)
                      .map((a) => `“${a.answer}” ${count(a.before)} → ${count(a.after)}`)
                      .join(", ")}
                  </span>
                </li>
              ))}
          </ul>
        </>
      )}
      <Sub>Weights and tables</Sub>
      <ul>
        {look.weights.map((w) => (
          <li key={w.save_as}>
            {w.save_as}: effective sample size <Moved before={w.n_effective} after={w.n_effective_after} />, largest
            weight <Moved before={w.max} after={w.max_after} digits={2} />
          </li>
        ))}
      </ul>
      {look.tables.map((t) => (
        <details key={t.table} className="border-hair border-b py-1">
          <summary className="cursor-pointer">
            <span className="font-serif">{t.title}</span>: {count(t.changed)} of {plural(t.figures, "figure")} would
            change
            {t.largest > 0 && `, shares by up to ${percent(t.largest)} points`}
          </summary>
          <Figures moved={t.moved ?? []} />
        </details>
      ))}
    </>
  );
}

/** What a newer file would change; it is imported or discarded whole. */
export function NewerFile({ file }: { file: string }) {
  const study = useStudy();
  const navigate = useNavigate();
  const { settle, refuse, inTurn } = useChange();
  const [extend, setExtend] = useState(false);
  // Records that stay in their folder are not added to.
  const drawn = study.source.sample != null;
  const { data, error } = useQuery({
    queryKey: ["newer", study.id, study.edition, file, extend],
    queryFn: () =>
      got(
        api.POST("/api/v1/studies/{study_id}/newer", {
          params: { path: { study_id: study.id } },
          body: { id: file, extend },
        }),
      ),
    staleTime: Number.POSITIVE_INFINITY,
  });
  const back = () => navigate({ to: "/study/$id/intake/{-$item}", params: { id: study.id, item: undefined } });
  const take = useMutation({
    mutationFn: () =>
      inTurn((edition) =>
        got(
          api.PUT("/api/v1/studies/{study_id}/source", {
            params: { path: { study_id: study.id }, query: { edition } },
            body: { id: data?.file ?? "" },
          }),
        ),
      ),
    onSuccess: (view) => {
      settle(view);
      back();
    },
    onError: (error) => refuse(error),
  });
  if (error)
    return <Faults faults={error instanceof Refusal ? error.faults : [{ what: error.message, where: "", mend: "" }]} />;
  return (
    <div className="max-w-3xl">
      <Heading
        over={
          drawn ? "A new sample; the study still shows the one before" : "A newer file; nothing has been imported yet"
        }
      >
        {data?.name ?? "…"}
      </Heading>
      <fieldset className="mb-2 flex gap-6" hidden={drawn}>
        <legend className="sr-only">What it is</legend>
        {(
          [
            [false, "Replace the existing answers"],
            [true, "Add its records to the existing answers"],
          ] as const
        ).map(([value, label]) => (
          <label key={label} className="flex cursor-pointer items-center gap-2 text-sm">
            <input
              type="radio"
              name="newer"
              checked={extend === value}
              onChange={() => setExtend(value)}
              className="accent-[var(--act)]"
            />
            {label}
          </label>
        ))}
      </fieldset>
      {data?.already != null && (
        <p className="text-sm">
          {data.already
            ? `${plural(data.already, "record")} of this file ${data.already === 1 ? "is" : "are"} already in the study (same identifier) and stay${data.already === 1 ? "s" : ""} unchanged.`
            : "None of its records is in the study yet."}
        </p>
      )}
      <div className="mb-4 flex gap-2">
        <ActionButton
          id="take-newer"
          label={drawn ? "Use this sample" : "Import"}
          icon={Check}
          look="strong"
          disabled={!data || take.isPending}
          run={() => take.mutate()}
        />
        <ActionButton
          id="refuse-newer"
          label={drawn ? "Keep the one before" : "Discard this file"}
          icon={X}
          run={back}
        />
      </div>
      {data ? (
        <Report look={data} />
      ) : (
        <p className="text-soft">Running everything done so far on the {drawn ? "new sample" : "newer file"} …</p>
      )}
    </div>
  );
}
