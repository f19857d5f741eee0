import createClient from "openapi-fetch";
import type { components, paths } from "./schema";

export type Schema = components["schemas"];
export type Fault = Schema["Fault"];
export type StudyView = Schema["StudyView"];
export type Step = NonNullable<Schema["Study"]["ledger"]>[number];

/** What the server found wrong; nothing has been changed when it is thrown. */
export class Refusal extends Error {
  constructor(
    readonly status: number,
    readonly faults: Fault[],
    /** How the database stands, where it is what did not answer. */
    readonly database?: "starting" | "down",
  ) {
    super(faults.map((f) => f.what).join(" "));
  }
}

// Answers are kept by edition, here and on the server. The browser's own store would only let a second question to the same
// address wait for the answer to the first, which may be of an older edition and long in coming.
export const api = createClient<paths>({ baseUrl: "", cache: "no-store" });

const unreachable: Fault = {
  what: "The server is not responding, so this was not saved.",
  where: "",
  mend: "Check that it runs, then try again.",
};

/** The data of an answer, or a Refusal. */
export async function got<T>(
  call: Promise<{ data?: T; error?: unknown; response: Response }>,
): Promise<Exclude<T, undefined>> {
  let answer: Awaited<typeof call>;
  try {
    answer = await call;
  } catch {
    throw new Refusal(0, [unreachable]);
  }
  if (answer.response.ok) return answer.data as Exclude<T, undefined>;
  const body = answer.error as { faults?: Fault[]; database?: "starting" | "down" } | undefined;
  throw new Refusal(
    answer.response.status,
    body?.faults ?? [{ ...unreachable, what: `The server failed (${answer.response.status}).` }],
    body?.database,
  );
}

/** Sends a file's bytes, saying how much has gone; `stop` cancels. */
export function upload<T>(path: string, file: Blob, progress: (share: number) => void, stop?: AbortSignal): Promise<T> {
  return new Promise((resolve, reject) => {
    const request = new XMLHttpRequest();
    request.open("POST", path);
    request.responseType = "json";
    request.upload.onprogress = (e) => e.lengthComputable && progress(e.loaded / e.total);
    request.onload = () => {
      if (request.status < 300) resolve(request.response as T);
      else reject(new Refusal(request.status, request.response?.faults ?? [unreachable]));
    };
    request.onerror = () => reject(new Refusal(0, [unreachable]));
    request.onabort = () => reject(new Refusal(0, [{ what: "Stopped. Nothing was imported.", where: "", mend: "" }]));
    stop?.addEventListener("abort", () => request.abort());
    request.send(file);
  });
}
