import { useEffect, useState } from "react";
import { Refusal, type Schema } from "./client";

export type DependenceLine = Schema["DependenceLine"];

/** All tables, each with its largest change alone. */
export const EVERY_TABLE = "_all";

interface Found {
  lines: readonly DependenceLine[];
  done: boolean;
  refusal: Refusal | null;
}

const NOTHING: Found = { lines: [], done: false, refusal: null };

async function* read(url: string, signal: AbortSignal): AsyncGenerator<DependenceLine> {
  const answer = await fetch(url, { signal });
  if (!answer.ok || !answer.body) {
    const body = await answer.json().catch(() => null);
    throw new Refusal(answer.status, body?.faults ?? []);
  }
  const reader = answer.body.pipeThrough(new TextDecoderStream()).getReader();
  let held = "";
  for (;;) {
    const { value, done } = await reader.read();
    held += value ?? "";
    const whole = held.split("\n");
    held = whole.pop() ?? "";
    for (const line of whole) yield JSON.parse(line) as DependenceLine;
    if (done) return;
  }
}

/** What the figures of a table would be without each decision, as it is worked out; whoever looks away stops it. */
export function useDepends(study: string, edition: number, table: string): Found {
  const [found, setFound] = useState<Found>(NOTHING);
  useEffect(() => {
    const stop = new AbortController();
    setFound(NOTHING);
    const follow = async () => {
      // The edition makes it anew; the server knows which one it is.
      const url = `/api/v1/studies/${study}/depends/${encodeURIComponent(table)}?of=${edition}`;
      for await (const line of read(url, stop.signal)) setFound((f) => ({ ...f, lines: [...f.lines, line] }));
      setFound((f) => ({ ...f, done: true }));
    };
    follow().catch((error) => {
      if (stop.signal.aborted) return;
      const lost = [{ what: "What it depends on was not worked out to the end.", where: "", mend: "Try again." }];
      const refusal = error instanceof Refusal ? error : new Refusal(0, lost as Schema["Fault"][]);
      setFound((f) => ({ ...f, done: true, refusal }));
    });
    return () => stop.abort();
  }, [study, edition, table]);
  return found;
}
