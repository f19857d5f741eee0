import { useSyncExternalStore } from "react";
import type { Schema } from "../../api/client";
import { keyAt } from "./cell-keys";
import { printed, shapeAt } from "./figure-lines";

/** A figure as it was when its table was pinned. */
interface Pinned {
  value: number;
  letters: string;
}

export type Pins = ReadonlyMap<string, Pinned>;

const pins = new Map<string, Pins>();
const watching = new Set<() => void>();

const placeOf = (study: string, table: string) => `${study} ${table}`;

/** Every figure of a table with its letters. */
export function figuresOfView({ grid }: Pick<Schema["TableView"], "grid">): Pins {
  const found = new Map<string, Pinned>();
  for (const section of grid?.sections ?? [])
    for (const line of section.lines.filter((l) => l.strong))
      line.values.forEach((value, c) => {
        if (grid && value != null)
          found.set(keyAt(grid, section, line, c), { value, letters: line.letters?.[c] ?? "" });
      });
  return found;
}

/** Pins a table as it is; null: unpins it. It stays pinned until then, or until the page is left for good. */
export function pin(study: string, table: string, view: Pick<Schema["TableView"], "grid"> | null) {
  if (view) pins.set(placeOf(study, table), figuresOfView(view));
  else pins.delete(placeOf(study, table));
  for (const tell of watching) tell();
}

/** The figures of a table as they were pinned; undefined where it is not. */
export const usePins = (study: string, table: string): Pins | undefined =>
  useSyncExternalStore(
    (tell) => {
      watching.add(tell);
      return () => watching.delete(tell);
    },
    () => pins.get(placeOf(study, table)),
  );

/** What a figure was, and by how much it differs from it now; null where nothing that is shown does. */
export function saysBefore(was: Pinned | undefined, line: Schema["Line"], column: number): string | null {
  const now = line.values[column];
  if (!was || now == null) return null;
  const shape = shapeAt(line, column);
  const letters = line.letters?.[column] ?? "";
  const moved = printed(was.value, shape) !== printed(now, shape);
  if (!moved && was.letters === letters) return null;
  const by = printed(now - was.value, shape);
  const difference = moved ? ` (${now > was.value && /[1-9]/.test(by) ? "+" : ""}${by})` : "";
  const turned = was.letters === letters ? "" : ` ${was.letters || "no letters"}`;
  return `was ${printed(was.value, shape)}${difference}${turned}`;
}
