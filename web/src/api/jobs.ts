import { api, got, Refusal, type Schema } from "./client";

export type Job = Schema["JobView"];

const PATIENCE = 30_000;

/** Follows a job until it has ended; gives the identifier of what it made. Aborting asks the server to stop it. */
export function finished(job: Job, tell: (job: Job) => void, stop?: AbortSignal): Promise<string> {
  return new Promise((resolve, reject) => {
    const path = { job_id: job.id };
    stop?.addEventListener("abort", () => {
      got(api.DELETE("/api/v1/jobs/{job_id}", { params: { path } })).catch(() => {});
    });
    const events = new EventSource(`/api/v1/jobs/${job.id}/events`);
    let lost: ReturnType<typeof setTimeout> | undefined;
    events.onmessage = (message) => {
      clearTimeout(lost);
      lost = undefined;
      const now = JSON.parse(message.data) as Job;
      tell(now);
      if (now.state === "running") return;
      events.close();
      if (now.state === "done" && now.result) resolve(now.result);
      else reject(new Refusal(422, now.faults));
    };
    // A lost connection is taken up again by itself; the server then says how the job ended.
    events.onerror = () => {
      lost ??= setTimeout(() => {
        events.close();
        const what = "The connection was lost before the work was done.";
        reject(new Refusal(0, [{ what, where: "", mend: "Check that the server runs, then do it again." }]));
      }, PATIENCE);
    };
  });
}

/** The file that a job brought in. */
export async function brought(job: Job, tell: (job: Job) => void, stop?: AbortSignal): Promise<Schema["FilePreview"]> {
  const file_id = await finished(job, tell, stop);
  return got(api.GET("/api/v1/files/{file_id}", { params: { path: { file_id } } }));
}
