import { Package, X } from "@phosphor-icons/react";
import { useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Refusal } from "../../api/client";
import { finished, type Job } from "../../api/jobs";
import { useChange, useSaved } from "../../api/queries";
import { makeRelease } from "../../api/releases";
import { ActionButton } from "../../parts/actions";
import { Faults } from "../../parts/notices";

/** The button that makes the release, and how far it has got. made: told its number. */
export function Making({ ready, made }: { ready: boolean; made: (number: number) => void }) {
  const study = useSaved();
  const client = useQueryClient();
  const { allSaved } = useChange();
  const [job, setJob] = useState<Job | null>(null);
  const [refusal, setRefusal] = useState<Refusal | null>(null);
  const stopper = useRef<AbortController | null>(null);
  const make = async () => {
    setRefusal(null);
    stopper.current = new AbortController();
    try {
      const edition = await allSaved();
      const begun = await makeRelease(study.id, edition);
      setJob(begun);
      const number = Number(await finished(begun, setJob, stopper.current.signal));
      await client.invalidateQueries({ queryKey: ["below", study.id, edition, "release", "made"] });
      made(number);
    } catch (error) {
      setRefusal(error instanceof Refusal ? error : new Refusal(0, [{ what: String(error), where: "", mend: "" }]));
    } finally {
      setJob(null);
    }
  };
  return (
    <div>
      {job ? (
        <div role="status" className="text-sm">
          <p>{job.says} …</p>
          <progress aria-label="Progress" value={job.share ?? undefined} className="my-1 w-full" />
          <ActionButton id="stop-release" label="Stop" icon={X} run={() => stopper.current?.abort()} />
        </div>
      ) : (
        <ActionButton
          id="make-release"
          label="Make the release"
          icon={Package}
          look="strong"
          disabled={!ready}
          run={() => void make()}
        />
      )}
      {refusal && <Faults faults={refusal.faults} />}
    </div>
  );
}
