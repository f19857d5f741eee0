import { api, type Fault, got, Refusal, type Schema } from "./client";

export type PieceOf = "tables" | "models" | "reliability" | "correlations" | "side_by_side";
export type FileKind = NonNullable<Schema["ReleasePlan"]["formats"]>[number];

/** One table or analysis as the release would show it: with its lines, and as text. */
export const clipOf = (study: string, part: PieceOf, name: string) =>
  got(
    api.GET("/api/v1/studies/{study_id}/pieces/{part}/{name}/clip", {
      params: { path: { study_id: study, part, name } },
    }),
  );

/** The same as a file, with the name that the server gives it. */
export async function pieceFile(study: string, part: PieceOf, name: string, kind: FileKind) {
  const path = [study, "pieces", part, name, "file", kind].map(encodeURIComponent).join("/");
  const response = await fetch(`/api/v1/studies/${path}`, { cache: "no-store" });
  if (!response.ok) {
    const body = (await response.json().catch(() => null)) as { faults?: Fault[] } | null;
    throw new Refusal(response.status, body?.faults ?? [{ what: "The file could not be made.", where: "", mend: "" }]);
  }
  const named = /filename="([^"]+)"/.exec(response.headers.get("content-disposition") ?? "");
  return { blob: await response.blob(), name: named?.[1] ?? `${name}.${kind}` };
}
