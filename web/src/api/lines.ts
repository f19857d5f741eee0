import { Refusal, type Schema } from "./client";

async function* read<T>(url: string, signal: AbortSignal): AsyncGenerator<T> {
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
    for (const line of whole) yield JSON.parse(line) as T;
    if (done) return;
  }
}

type Aside = Schema["Waiting"] | Schema["Faults"];

/** Follows lines of JSON to their end: each is told as it comes, that it waits for others, and what broke it off.
 * Gives what stops it. */
export function follow<T extends object>(
  url: string,
  line: (line: T) => void,
  waiting: () => void,
  ended: (refusal: Refusal | null) => void,
): () => void {
  const stop = new AbortController();
  const run = async () => {
    for await (const one of read<T | Aside>(url, stop.signal)) {
      if ("waiting" in one) waiting();
      else if ("faults" in one) throw new Refusal(422, (one as Schema["Faults"]).faults);
      else line(one as T);
    }
    ended(null);
  };
  run().catch((error) => {
    if (stop.signal.aborted) return;
    const lost = [{ what: "The calculation did not finish.", where: "", mend: "Try again." }];
    ended(error instanceof Refusal ? error : new Refusal(0, lost as Schema["Fault"][]));
  });
  return () => stop.abort();
}
