import { X } from "@phosphor-icons/react";
import { useRef, useState } from "react";
import { Refusal } from "../api/client";
import type { Job } from "../api/jobs";
import { finished } from "../api/jobs";
import { ActionButton } from "./actions";
import { Faults } from "./notices";

/** Work that the server does for a page, one job at a time. */
export interface Work {
  job: Job | null;
  refusal: Refusal | null;
  run: (begin: () => Promise<Job>, done: (result: string) => unknown) => Promise<void>;
  stop: () => void;
}

export function useWork(): Work {
  const [job, setJob] = useState<Job | null>(null);
  const [refusal, setRefusal] = useState<Refusal | null>(null);
  const stopper = useRef<AbortController | null>(null);
  const run: Work["run"] = async (begin, done) => {
    setRefusal(null);
    stopper.current = new AbortController();
    try {
      const begun = await begin();
      setJob(begun);
      await done(await finished(begun, setJob, stopper.current.signal));
    } catch (error) {
      setRefusal(error instanceof Refusal ? error : new Refusal(0, [{ what: String(error), where: "", mend: "" }]));
    } finally {
      setJob(null);
    }
  };
  return { job, refusal, run, stop: () => stopper.current?.abort() };
}

/** How far the work has got, with the button that stops it, and why it ended where it failed. stop: the button's name. */
export function Working({ work, stop }: { work: Work; stop: string }) {
  return (
    <>
      {work.job && (
        <div role="status" className="text-sm">
          <p>{work.job.says} …</p>
          <progress aria-label="Progress" value={work.job.share ?? undefined} className="my-1 w-full" />
          <ActionButton id={stop} label="Stop" icon={X} run={work.stop} />
        </div>
      )}
      {work.refusal && <Faults faults={work.refusal.faults} />}
    </>
  );
}
