import { notifyManager, queryOptions, useMutation, useQueryClient, useSuspenseQuery } from "@tanstack/react-query";
import { getRouteApi } from "@tanstack/react-router";
import { useDeferredValue, useMemo } from "react";
import { tell } from "../parts/notices";
import {
  type Asked,
  editionFor,
  type Made,
  noteAnswered,
  noteAsked,
  noteOwn,
  noteUnreached,
  partsOf,
  useAsked,
  useSavingState,
  withAsked,
} from "./asked";
import { api, got, Refusal, type Schema, type Step, type StudyView } from "./client";

const inStudy = (study_id: string) => ({ params: { path: { study_id } } });

export const studiesQuery = (deleted: boolean) =>
  queryOptions({
    queryKey: ["studies", deleted],
    queryFn: () => got(api.GET("/api/v1/studies", { params: { query: { deleted } } })),
  });

export const retentionQuery = queryOptions({
  queryKey: ["studies", "retention"],
  queryFn: () => got(api.GET("/api/v1/studies/retention")),
});

export const fileQuery = (file_id: string) =>
  queryOptions({
    queryKey: ["file", file_id],
    queryFn: () => got(api.GET("/api/v1/files/{file_id}", { params: { path: { file_id } } })),
    staleTime: Number.POSITIVE_INFINITY,
  });

const studyKey = (id: string) => ["study", id] as const;

/** A study. An answer that was on its way while a change was saved says how things were before: the newer one stays. */
export const studyQuery = (id: string) =>
  queryOptions({
    queryKey: studyKey(id),
    queryFn: async ({ client }) => {
      const answer = await got(api.GET("/api/v1/studies/{study_id}", inStudy(id)));
      const known = client.getQueryData<StudyView>(studyKey(id));
      return known && known.edition > answer.edition ? known : answer;
    },
  });

/** Everything below a study is asked for again when its edition moves. */
const below = (id: string, edition: number, ...rest: string[]) => ["below", id, edition, ...rest];

/** What disclosure control hides of all tables together. */
export const disclosureQuery = (id: string, edition: number) =>
  queryOptions({
    queryKey: below(id, edition, "disclosure"),
    queryFn: async () => (await got(api.GET("/api/v1/studies/{study_id}/disclosure", inStudy(id)))) ?? null,
  });

export const withheldQuery = (id: string, edition: number) =>
  queryOptions({
    queryKey: below(id, edition, "withheld"),
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/disclosure/analyses", inStudy(id))),
  });

const codebookQuery = (id: string, edition: number) =>
  queryOptions({
    queryKey: below(id, edition, "codebook"),
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/codebook", inStudy(id))),
  });

const ledgerQuery = (id: string, edition: number) =>
  queryOptions({
    queryKey: below(id, edition, "ledger"),
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/ledger", inStudy(id))),
  });

const findingsQuery = (id: string, edition: number) =>
  queryOptions({
    queryKey: below(id, edition, "findings"),
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/findings", inStudy(id))),
  });

const findingCasesQuery = (id: string, edition: number, finding: Schema["Finding"]) =>
  queryOptions({
    queryKey: below(id, edition, "cases", finding.variable, finding.kind, finding.value),
    queryFn: () =>
      got(
        api.GET("/api/v1/studies/{study_id}/findings/cases", {
          params: {
            path: { study_id: id },
            query: { variable: finding.variable, kind: finding.kind, value: finding.value },
          },
        }),
      ),
  });

const flowQuery = (id: string, edition: number) =>
  queryOptions({
    queryKey: below(id, edition, "flow"),
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/flow", inStudy(id))),
  });

const leftOutQuery = (id: string, edition: number, questions: string[]) =>
  queryOptions({
    queryKey: below(id, edition, "left out", ...questions),
    queryFn: () =>
      got(
        api.GET("/api/v1/studies/{study_id}/left-out", {
          params: { path: { study_id: id }, query: questions.length ? { questions } : {} },
        }),
      ),
  });

const weightingsQuery = (id: string, edition: number) =>
  queryOptions({
    queryKey: below(id, edition, "weightings"),
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/weightings", inStudy(id))),
  });

const limitsQuery = (id: string, edition: number, at: number) =>
  queryOptions({
    queryKey: below(id, edition, "limits", String(at)),
    queryFn: () =>
      got(api.GET("/api/v1/studies/{study_id}/weightings/{at}/limits", { params: { path: { study_id: id, at } } })),
  });

const heaviestQuery = (id: string, edition: number, at: number) =>
  queryOptions({
    queryKey: below(id, edition, "heaviest", String(at)),
    queryFn: () =>
      got(api.GET("/api/v1/studies/{study_id}/weightings/{at}/heaviest", { params: { path: { study_id: id, at } } })),
  });

const comparisonQuery = (id: string, edition: number, variables: string[]) =>
  queryOptions({
    queryKey: below(id, edition, "comparison", ...variables),
    queryFn: () =>
      got(
        api.GET("/api/v1/studies/{study_id}/comparison", {
          params: { path: { study_id: id }, query: variables.length ? { variables } : {} },
        }),
      ),
  });

const designQuery = (id: string, edition: number) =>
  queryOptions({
    queryKey: below(id, edition, "design"),
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/design", inStudy(id))),
  });

export const tableQuery = (id: string, edition: number, table_id: string) =>
  queryOptions({
    queryKey: below(id, edition, "table", table_id),
    queryFn: ({ signal }) =>
      got(
        api.GET("/api/v1/studies/{study_id}/tables/{table_id}", {
          params: { path: { study_id: id, table_id } },
          signal,
        }),
      ),
  });

export const besideQuery = (id: string, edition: number, beside_id: string) =>
  queryOptions({
    queryKey: below(id, edition, "beside", beside_id),
    queryFn: ({ signal }) =>
      got(
        api.GET("/api/v1/studies/{study_id}/side-by-side/{beside_id}", {
          params: { path: { study_id: id, beside_id } },
          signal,
        }),
      ),
  });

export const pairQuery = (id: string, edition: number, analysis_id: string, across: string, down: string) =>
  queryOptions({
    queryKey: below(id, edition, "pair", analysis_id, across, down),
    queryFn: ({ signal }) =>
      got(
        api.GET("/api/v1/studies/{study_id}/correlations/{analysis_id}/pair", {
          params: { path: { study_id: id, analysis_id }, query: { across, down } },
          signal,
        }),
      ),
  });

export const analysisQuery = (
  id: string,
  edition: number,
  part: "models" | "reliability" | "correlations",
  analysis_id: string,
) =>
  queryOptions({
    queryKey: below(id, edition, "analysis", part, analysis_id),
    queryFn: ({ signal }) =>
      got(
        api.GET("/api/v1/studies/{study_id}/analyses/{part}/{analysis_id}", {
          params: { path: { study_id: id, part, analysis_id } },
          signal,
        }),
      ),
  });

const studyRoute = getRouteApi("/study/$id");

/** The study of the page one is on, as it is saved. */
export function useSaved(): StudyView {
  const { id } = studyRoute.useParams();
  return useSuspenseQuery(studyQuery(id)).data;
}

/** The study of the page one is on: its document with what was asked for already in it, all else as it is saved. */
export function useStudy(): StudyView {
  const saved = useSaved();
  const asked = useAsked(saved.id);
  return useMemo(() => ({ ...saved, document: withAsked(saved.document, asked) }), [saved, asked]);
}

/** The edition that is shown: while a newer one is being worked out, the one before stays on the page. */
function useShown() {
  const study = useSaved();
  return [study.id, useDeferredValue(study.edition)] as const;
}

/** How saving the study goes. */
export const useSaving = () => useSavingState(useSaved().id);

/** Whether all that was asked for is saved, and the page shows it: what the server lists by place, such as entries of the ledger, stands
 * in the document at that place only then. */
export function useSettled(): boolean {
  const [saving, [, shown], { edition }] = [useSaving(), useShown(), useSaved()];
  return saving === "saved" && shown === edition;
}

export const useCodebook = () => useSuspenseQuery(codebookQuery(...useShown())).data;
export const useLedger = () => useSuspenseQuery(ledgerQuery(...useShown())).data;
export const useFindings = () => useSuspenseQuery(findingsQuery(...useShown())).data;
export const useFlow = () => useSuspenseQuery(flowQuery(...useShown())).data;
export const useLeftOut = (questions: string[]) =>
  useSuspenseQuery(leftOutQuery(...useShown(), useDeferredValue(questions))).data;
export const useWeightings = () => useSuspenseQuery(weightingsQuery(...useShown())).data;
export const useLimits = (at: number) => useSuspenseQuery(limitsQuery(...useShown(), at)).data;
export const useHeaviest = (at: number) => useSuspenseQuery(heaviestQuery(...useShown(), at)).data;
export const useComparison = (variables: string[]) =>
  useSuspenseQuery(comparisonQuery(...useShown(), useDeferredValue(variables))).data;
export const useDesign = () => useSuspenseQuery(designQuery(...useShown())).data;
export const useFindingCases = (finding: Schema["Finding"]) =>
  useSuspenseQuery(findingCasesQuery(...useShown(), finding)).data;

/** Changes of a study, one after the other. What is asked for shows at once, and is checked whole by the server, saved, and answered
 * with the new state; refused, it is gone again. */
export function useChange() {
  const study = useSaved();
  const client = useQueryClient();
  const settle = (view: StudyView) => {
    noteOwn(view.id, view.edition);
    client.setQueryData(studyQuery(view.id).queryKey, view);
  };
  const refuse = (error: Error, again?: () => void) => {
    const stale = error instanceof Refusal && error.status === 409;
    if (stale) client.invalidateQueries({ queryKey: studyKey(study.id) });
    tell(error, stale && again ? { label: "Apply my change to the latest version", go: again } : undefined);
  };
  const newest = () => client.getQueryData(studyQuery(study.id).queryKey) ?? study;
  const edition = () => newest().edition;
  const path = { study_id: study.id };
  const scope = { id: `study ${study.id}` };
  const saving = useMutation({
    scope,
    mutationFn: (asked: Asked) => {
      const body = {
        edition: editionFor(study.id, asked, edition()),
        parts: partsOf(asked.made, newest().document),
      };
      return got(api.PATCH("/api/v1/studies/{study_id}", { params: { path }, body }));
    },
    // Where the server, or its database, cannot be reached, what was asked for waits until it can; what comes later waits behind it.
    retry: (_, error) => {
      const lost = error instanceof Refusal && (error.status === 0 || error.status === 503);
      if (lost) noteUnreached(study.id, error.database);
      return lost;
    },
    retryDelay: 2000,
    // What was asked for goes when what is saved comes, with nothing shown between.
    onSuccess: (view, asked) =>
      notifyManager.batch(() => {
        settle(view);
        notifyManager.schedule(() => noteAnswered(study.id, asked));
      }),
    onError: (error, asked) => {
      noteAnswered(study.id, asked);
      // Only what says how it comes from a state can be made of another one.
      refuse(error, typeof asked.made === "function" ? () => change.mutate(asked.made) : undefined);
    },
  });
  const change = {
    isPending: saving.isPending,
    mutate: (made: Made) => saving.mutate(noteAsked(study.id, made, edition())),
    mutateAsync: (made: Made) => saving.mutateAsync(noteAsked(study.id, made, edition())),
  };
  const sending = useMutation({ scope, mutationFn: (send: (edition: number) => Promise<unknown>) => send(edition()) });
  const move = useMutation({
    scope,
    mutationFn: (way: "undo" | "redo") =>
      got(api.POST(`/api/v1/studies/{study_id}/${way}`, { params: { path }, body: { edition: edition() } })),
    onSuccess: settle,
    onError: (error) => refuse(error),
  });
  const inTurn = <T>(send: (edition: number) => Promise<T>) =>
    sending.mutateAsync(async (edition) => {
      const answer = await send(edition);
      noteOwn(study.id, edition + 1);
      return answer;
    }) as Promise<T>;
  return {
    change,
    move,
    settle,
    refuse,
    /** Anything else that changes the study, after what was asked for before it; send: with the edition there is then. */
    inTurn,
    /** The edition there is once all that was asked for until now is saved or refused. */
    allSaved: () => sending.mutateAsync(async (edition) => edition) as Promise<number>,
    addSteps: (...steps: Step[]) =>
      change.mutateAsync((document) => ({ ledger: [...(document.ledger ?? []), ...steps] })),
  };
}
