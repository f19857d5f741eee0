import { queryOptions } from "@tanstack/react-query";
import { api, got, type Schema } from "./client";

export type ReleaseView = Schema["ReleaseView"];
export type Plan = Schema["ReleasePlan"];
export type Part = Schema["Part"];
export type MadeRelease = Schema["MadeRelease"];

const key = (id: string, edition: number, ...rest: (string | number)[]) => ["below", id, edition, "release", ...rest];
const inStudy = (study_id: string) => ({ params: { path: { study_id } } });

/** The release as it would be made now. */
export const nextRelease = (id: string, edition: number) =>
  queryOptions({
    queryKey: key(id, edition, "next"),
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/releases/next", inStudy(id))),
    placeholderData: (before) => before,
  });

/** Releases that were made, and what to look at before the next. */
export const madeReleases = (id: string, edition: number) =>
  queryOptions({
    queryKey: key(id, edition, "made"),
    queryFn: () => got(api.GET("/api/v1/studies/{study_id}/releases", inStudy(id))),
    placeholderData: (before) => before,
  });

/** What changed from a release to another, or to the study as it stands. */
export const releaseChanges = (id: string, edition: number, number: number, until: number | null) =>
  queryOptions({
    queryKey: key(id, edition, "changes", number, until ?? "now"),
    queryFn: () =>
      got(
        api.GET("/api/v1/studies/{study_id}/releases/{number}/changes", {
          params: { path: { study_id: id, number }, query: until == null ? {} : { until } },
        }),
      ),
  });

/** Begins to make a release of an edition. */
export const makeRelease = (id: string, edition: number) =>
  got(api.POST("/api/v1/studies/{study_id}/releases", { params: { path: { study_id: id }, query: { edition } } }));

/** Where a file of a release is. */
export const releasedFile = (id: string, number: number, name: string) =>
  `/api/v1/studies/${id}/releases/${number}/files/${encodeURIComponent(name)}`;
