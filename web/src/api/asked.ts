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
    | "where"
    | "usual_banner"
    | "marks"
    | "suppression"
  >
>;

/** New parts, or how they come from the newest state there is when their turn comes. */
export type Made = Parts | ((document: Schema["Study"]) => Parts);

/** A change that was asked for and is not answered yet; turn: which one, since the page was opened. */
export type Asked = { readonly made: Made; readonly turn: number };

export const partsOf = (made: Made, document: Schema["Study"]): Parts =>
  typeof made === "function" ? made(document) : made;

/** The document as it will be, once all that was asked for is saved. */
export function withAsked(document: Schema["Study"], asked: readonly Asked[]): Schema["Study"] {
  let to = document;
  for (const { made } of asked) to = { ...to, ...partsOf(made, to) };
  return to;
}
