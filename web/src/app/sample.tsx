import { Calculator, X } from "@phosphor-icons/react";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { calculate, inPlaceQuery } from "../api/in-place";
import { useChange, useSaved } from "../api/queries";
import { ActionButton } from "../parts/actions";
import { count, plural } from "../parts/figures";
import { useWork } from "../parts/job";
import { Faults } from "../parts/notices";

/** Of a study whose records stay in a folder: that pages show a sample, and the button that has tables made of all records. */
export function SampleLine() {
  const study = useSaved();
  const client = useQueryClient();
  const { allSaved } = useChange();
  const work = useWork();
  const sample = study.source.sample;
  const { data: stands } = useQuery({ ...inPlaceQuery(study.id, study.edition), enabled: sample != null });
  if (!sample) return null;
  const { tables, models, reliability, correlations } = study.document;
  const asked = [tables, models, reliability, correlations].some((of) => of?.length);
  const lacking = stands?.lacking ?? 0;
  const run = () =>
    work.run(
      async () => calculate(study.id, await allSaved()),
      () => client.invalidateQueries({ queryKey: ["below", study.id] }),
    );
  const all = sample.drawn === sample.records;
  return (
    <section aria-label="Sample" className="border-hair border-b bg-heedwash px-6 py-1 text-sm">
      <div className="flex items-center gap-4">
        <p className="grow">
          {all
            ? `Preview: all ${count(sample.records)} records`
            : `Preview: ${count(sample.drawn)} of ${count(sample.records)} records, drawn at random`}
          {study.source.blank_records > 0 && ` (${count(study.source.blank_records)} of them blank)`}; they stay in{" "}
          {sample.folder}. {stands && !lacking && "Tables and analyses are of all records."}
          {stands &&
            lacking > 0 &&
            asked &&
            `${plural(lacking, "table or analysis", "tables and analyses")} of the sample.`}
        </p>
        {work.job && (
          <div role="status" className="flex shrink-0 items-center gap-2">
            <span>{work.job.says} …</span>
            <progress aria-label="Progress" value={work.job.share ?? undefined} className="w-32" />
            <ActionButton id="stop-calculating" label="Stop" icon={X} run={work.stop} />
          </div>
        )}
        {!work.job && asked && lacking > 0 && (
          <ActionButton
            id="calculate-all"
            label="Calculate on all records"
            icon={Calculator}
            look="strong"
            className="shrink-0"
            disabled={stands?.fault != null}
            run={() => void run()}
          />
        )}
      </div>
      {work.refusal && <Faults faults={work.refusal.faults} />}
      {stands?.fault && <Faults faults={[stands.fault]} />}
    </section>
  );
}
