import { useSyncExternalStore } from "react";
import type { Schema } from "./client";

/** The parts of a study's document that the interface changes. */
export type Parts = Partial<
  Pick<
    Schema["Study"],
    | "title"
    | "codebook"
    | "screening"
    | "ledger"
    | "weightings"
    | "design"
    | "tables"
    | "models"
    | "reliability"
    | "correlations"
    | "side_by_side"
    | "where"
    | "usual_banner"
    | "recipes"
    | "usual_recipe"
    | "release"
    | "alternatives"
    | "marks"
    | "suppression"
  >
>;

/** New parts, or how they come from the newest state there is when their turn comes. */
export type Made = Parts | ((document: Schema["Study"]) => Parts);

/** A change that was asked for and is not answered yet, and the edition that was saved when it was. */
export type Asked = { readonly made: Made; readonly edition: number };

export const partsOf = (made: Made, document: Schema["Study"]): Parts =>
  typeof made === "function" ? made(document) : made;

/** The document as it will be, once all that was asked for is saved. */
export function withAsked(document: Schema["Study"], asked: readonly Asked[]): Schema["Study"] {
  let to = document;
  for (const { made } of asked) to = { ...to, ...partsOf(made, to) };
  return to;
}

const own = new Set<string>();

/** An edition came of a change made on this page. */
export const noteOwn = (study: string, edition: number) => own.add(`${study} ${edition}`);

/** The edition a change is sent for. Whole parts were made of what was shown: where somebody else has changed the study since, of an
 * earlier edition than the newest, so that theirs is not overwritten. */
export function editionFor(study: string, { made, edition }: Asked, newest: number): number {
  if (typeof made === "function") return newest;
  for (let between = edition + 1; between <= newest; between++) if (!own.has(`${study} ${between}`)) return edition;
  return newest;
}

const NONE: readonly Asked[] = [];
const waiting = new Map<string, readonly Asked[]>();
const unreached = new Map<string, string>();
const watching = new Set<() => void>();

function put(study: string, asked: readonly Asked[]) {
  waiting.set(study, asked);
  for (const tell of watching) tell();
}

const of = (study: string) => waiting.get(study) ?? NONE;

/** Notes a change of a study that is asked for; whatever shows the study knows it at once. */
export function noteAsked(study: string, made: Made, edition: number): Asked {
  const asked = { made, edition };
  put(study, [...of(study), asked]);
  return asked;
}

/** The change was saved or refused. */
export function noteAnswered(study: string, answered: Asked) {
  unreached.delete(study);
  put(
    study,
    of(study).filter((a) => a !== answered),
  );
}

const REASONS = {
  server: "the server does not answer",
  down: "the database does not answer",
  starting: "the database is being started again",
} as const;

/** The server, or its database, could not be reached; what was asked for waits. */
export function noteUnreached(study: string, database?: "starting" | "down") {
  unreached.set(study, REASONS[database ?? "server"]);
  put(study, [...of(study)]);
}

function watch(tell: () => void) {
  watching.add(tell);
  return () => {
    watching.delete(tell);
  };
}

/** Changes of a study that were asked for and are not answered yet, in their order. */
export const useAsked = (study: string) => useSyncExternalStore(watch, () => of(study));

/** Why a study could not be saved when that was last tried. */
export const unreachedWhy = (study: string) => unreached.get(study) ?? "";

/** How saving a study goes: nothing to save, being saved, or the server cannot be reached and it is tried again. */
export const useSavingState = (study: string): "saved" | "saving" | "unreached" =>
  useSyncExternalStore(watch, () => (!of(study).length ? "saved" : unreached.has(study) ? "unreached" : "saving"));
