import { queryOptions, useSuspenseQuery } from "@tanstack/react-query";
import { api, got, type Schema } from "./client";

export type Vocabulary = Schema["Vocabulary"];

export const vocabularyQuery = queryOptions({
  queryKey: ["vocabulary"],
  queryFn: () => got(api.GET("/api/v1/vocabulary")),
  staleTime: Number.POSITIVE_INFINITY,
});

/** What can be chosen: figures, functions of formulas, parts of entries. */
export const useVocabulary = () => useSuspenseQuery(vocabularyQuery).data;

/** What a figure is called where it is chosen. */
export const statisticName = (vocabulary: Vocabulary, stat: string) =>
  vocabulary.statistics.find((s) => s.name === stat)?.says ?? `quantile ${stat.slice(1)} %`;
