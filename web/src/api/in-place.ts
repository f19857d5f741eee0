import { queryOptions } from "@tanstack/react-query";
import { api, got } from "./client";
import type { Job } from "./jobs";

const inStudy = (study_id: string) => ({ params: { path: { study_id } } });

/** Folders of parts that a study may be begun on. */
export const foldersQuery = queryOptions({
  queryKey: ["folders"],
  queryFn: () => got(api.GET("/api/v1/folders")),
});

/** Draws a sample of a folder's records. */
export const drawFrom = (folder: string): Promise<Job> => got(api.POST("/api/v1/folders", { body: { folder } }));

/** How a study stands to its records, where these stay in a folder. */
export const inPlaceQuery = (id: string, edition: number) =>
  queryOptions({
    queryKey: ["below", id, edition, "in place"],
    queryFn: async () => (await got(api.GET("/api/v1/studies/{study_id}/in-place", inStudy(id)))) ?? null,
  });

/** Has all figures worked out on all records. */
export const calculate = (id: string, edition: number): Promise<Job> =>
  got(api.POST("/api/v1/studies/{study_id}/in-place/figures", { ...inStudy(id), body: { edition } }));

export const recordQuery = (id: string, edition: number, number: number) =>
  queryOptions({
    queryKey: ["below", id, edition, "record", String(number)],
    queryFn: () =>
      got(
        api.GET("/api/v1/studies/{study_id}/in-place/records/{number}", {
          params: { path: { study_id: id, number } },
        }),
      ),
    retry: false,
  });
