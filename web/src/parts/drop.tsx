import { X } from "@phosphor-icons/react";
import { type ReactNode, useRef, useState } from "react";
import { Refusal, type Schema, upload } from "../api/client";
import { brought, type Job } from "../api/jobs";
import { ActionButton } from "./actions";
import { percent } from "./figures";
import { Faults } from "./notices";

/** Endings of the files that answers come in. */
export const ANSWER_FILES = ".csv,.tsv,.txt,.xlsx,.ods,.parquet,.jsonl,.ndjson";

/** Asks for a file of some kinds. */
export function pickFile(accept: string, take: (file: File) => void) {
  const input = document.createElement("input");
  input.type = "file";
  input.accept = accept;
  input.id = "picked-file";
  input.hidden = true;
  input.onchange = () => {
    const file = input.files?.[0];
    if (file) take(file);
    input.remove();
  };
  document.getElementById("picked-file")?.remove();
  document.body.append(input);
  input.click();
}

export interface Upload {
  sending: { name: string; says: string; share: number | null } | null;
  refusal: Refusal | null;
  begin: (file: File) => void;
  stop: () => void;
}

/** Sends a file of answers with progress; it can be stopped. */
export function useUpload(
  arrived: (file: Schema["FilePreview"]) => void,
  /** The earlier file whose encoding a file is read in where it does not say its own. */
  like?: string,
): Upload {
  const [sending, setSending] = useState<Upload["sending"]>(null);
  const [refusal, setRefusal] = useState<Refusal | null>(null);
  const stopper = useRef<AbortController | null>(null);
  const begin = (file: File) => {
    stopper.current = new AbortController();
    setRefusal(null);
    const { signal } = stopper.current;
    const say = (says: string, share: number | null) => setSending({ name: file.name, says, share });
    say("Sending", 0);
    upload<Job>(
      `/api/v1/files?${new URLSearchParams({ name: file.name, ...(like ? { like } : {}) })}`,
      file,
      (share) => say(share < 1 ? `Sending, ${percent(share, 0)} %` : "Waiting", share),
      signal,
    )
      .then((job) => brought(job, (now) => say(now.says, now.share ?? null), signal))
      .then(arrived)
      .catch((error) =>
        setRefusal(error instanceof Refusal ? error : new Refusal(0, [{ what: String(error), where: "", mend: "" }])),
      )
      .finally(() => setSending(null));
  };
  return { sending, refusal, begin, stop: () => stopper.current?.abort() };
}

/** How far a file has got: sent, read, stored; and the button that stops it. */
export function Sending({ upload: { sending, stop } }: { upload: Upload }) {
  if (!sending) return null;
  return (
    <div role="status" className="text-sm">
      <p>
        {sending.name}: {sending.says} …
      </p>
      <progress aria-label="Progress" value={sending.share ?? undefined} className="my-1 w-full" />
      <ActionButton id="stop-upload" label="Stop" icon={X} run={stop} />
    </div>
  );
}

/** A place to drop a file on, with progress and what was wrong with it. */
export function FileDrop({ state, children }: { state: Upload; children: ReactNode }) {
  const [over, setOver] = useState(false);
  return (
    <section
      aria-label="Drop a file"
      onDragOver={(e) => {
        e.preventDefault();
        setOver(true);
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(e) => {
        e.preventDefault();
        setOver(false);
        const file = e.dataTransfer.files[0];
        if (file) state.begin(file);
      }}
      className={`border border-dashed px-6 py-5 ${over ? "border-act bg-wash" : "border-rule"}`}
    >
      {state.sending ? <Sending upload={state} /> : children}
      {state.refusal && <Faults faults={state.refusal.faults} />}
    </section>
  );
}
