import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { api, got, type Schema } from "../../../api/client";
import { useStudy } from "../../../api/queries";
import { useWaited } from "../../../parts/waited";

export type Fit = Schema["Fit"];

/** How a scale fits some variables, asked again when either has been left alone for a moment. current: whether that is of this very
 * scale; codes of an earlier one may mean something else in it. */
export function useFit(
  scale: Schema["Scale"] | null,
  variables: readonly string[],
): { fits: readonly Fit[]; current: boolean } {
  const study = useStudy();
  const asked = JSON.stringify({ scale, variables });
  const settled = useWaited(asked, 200);
  const { data, isPlaceholderData } = useQuery({
    queryKey: ["fit", study.id, study.edition, settled],
    enabled: JSON.parse(settled).scale != null && variables.length > 0,
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: () =>
      got(
        api.POST("/api/v1/studies/{study_id}/fit", {
          params: { path: { study_id: study.id } },
          body: JSON.parse(settled),
        }),
      ),
  });
  if (!scale || !variables.length) return { fits: [], current: true };
  return { fits: data ?? [], current: data != null && settled === asked && !isPlaceholderData };
}

/** A wording found among the answers of some variables, and what it likely means. */
export interface Wording {
  text: string;
  cases: number;
  proposal: number | null;
  why: string;
}

const WHY: Record<string, string> = { alike: "spacing or letter case", misspelt: "likely a misspelling" };

/** Every wording that a scale does not know, over all variables it would be laid on. */
export function unfitting(fits: readonly Fit[]): Wording[] {
  const found = new Map<string, Wording>();
  for (const fit of fits)
    for (const answer of fit.answers) {
      if (answer.code != null) continue;
      const there = found.get(answer.answer);
      found.set(answer.answer, {
        text: answer.answer,
        cases: (there?.cases ?? 0) + answer.cases,
        proposal: answer.proposal ?? null,
        why: answer.why ? `${WHY[answer.why]}${answer.like ? `, ${answer.like} % alike` : ""}` : "",
      });
    }
  return [...found.values()].sort((a, b) => b.cases - a.cases);
}
