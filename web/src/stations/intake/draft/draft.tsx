import { useSuspenseQuery } from "@tanstack/react-query";
import { api, got } from "../../../api/client";
import { plural } from "../../../parts/figures";
import { Sub } from "../../../parts/panes";
import type { LineView } from "./edits";
import { DraftLine } from "./line";
import { KINDS } from "./why";

/** The codebook that is proposed for a file. */
export function useDraft(file: string): readonly LineView[] {
  return useSuspenseQuery({
    queryKey: ["file", file, "draft"],
    staleTime: Number.POSITIVE_INFINITY,
    queryFn: () => got(api.GET("/api/v1/files/{file_id}/draft", { params: { path: { file_id: file } } })),
  }).data;
}

/** How many columns are proposed as what. */
export function counted(views: readonly LineView[]): string {
  return KINDS.flatMap(([kind, label]) => {
    const n = views.filter((v) => v.line.kind === kind).reduce((sum, v) => sum + v.line.questions.length, 0);
    return n ? [`${label} ${n}`] : [];
  }).join(", ");
}

/** The draft as a questionnaire, with what one should look at first on top. */
export function DraftList({
  file,
  draft,
  mended,
  mend,
}: {
  file: string;
  draft: readonly LineView[];
  /** Lines that were changed, by their place in the draft. */
  mended: ReadonlyMap<number, LineView>;
  mend: (at: number, to: LineView) => void;
}) {
  const first = draft.flatMap((view, at) => (view.unsure ? [at] : []));
  const rest = draft.flatMap((view, at) => (view.unsure ? [] : [at]));
  const list = (places: readonly number[], label: string) => (
    <ul aria-label={label}>
      {places.map((at) => (
        <DraftLine key={at} file={file} view={draft[at] as LineView} change={(to) => mend(at, to)} />
      ))}
    </ul>
  );
  const left = first.filter((at) => !mended.has(at)).length;
  return (
    <>
      {first.length > 0 && (
        <>
          <Sub>
            To look at first: {plural(first.length, "line")}
            {left < first.length && `, ${first.length - left} changed`}
          </Sub>
          {list(first, "To look at first")}
        </>
      )}
      <Sub>{first.length ? "The others" : "All questions"}, in the order of the file</Sub>
      {list(rest, "The others")}
    </>
  );
}
