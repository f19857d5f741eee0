import type { Schema } from "../../api/client";
import { useChange, useCodebook, useStudy } from "../../api/queries";

export type Weighting = Schema["Weighting"];
export type Report = Schema["WeightingReport"];
export type Limits = NonNullable<Weighting["limits"]>;
export type Row = Report["margins"][number]["rows"][number];
export type Margin = NonNullable<Weighting["margins"]>[number];

/** A margin's variables, in the order they are crossed. */
export const byOf = (margin: Margin): string[] => margin.by ?? [];

/** What a margin is called: isle × sex, mean of age by isle. */
export function titleOf(margin: {
  by?: string[];
  total_of?: string | null;
  as?: string;
  fixes?: string | null;
}): string {
  const over = (margin.by ?? []).join(" × ");
  if (margin.total_of == null) return over;
  const what = `${(margin.as ?? margin.fixes) === "means" ? "Mean" : "Total"} of ${margin.total_of}`;
  return over ? `${what} by ${over}` : what;
}

/** What is left of a category's target: of a size as a share of the whole, of a number as one of itself. */
export function missed(row: Row, number: boolean): number {
  const apart = Math.abs(row.after - row.target);
  return number ? apart / Math.max(Math.abs(row.target), Math.abs(row.before), 1e-300) : apart;
}

export const nameOf = (weighting: Weighting) => weighting.save_as ?? "weight";

/** A weighting to begin with, under a name that no variable has. */
export const freshWeighting = (weightings: readonly Weighting[], variables: readonly string[]): Weighting => ({
  base: null,
  margins: [],
  scale_to: "cases",
  save_as: freeName(weightings, variables),
});

/** Which weighting an address means (from 0), and what of it. */
export function placeOf(item?: string): { at: number; part: string } {
  const found = /^(?:w(\d+)-?)?(.*)$/.exec(item ?? "");
  return { at: found?.[1] ? Number(found[1]) - 1 : 0, part: found?.[2] ?? "" };
}

/** The address of a part of a weighting; the first one's have no number. */
export const itemOf = (at: number, part = "") => (at ? `w${at + 1}${part && `-${part}`}` : part || undefined);

/** A name that no weighting and no variable has yet. */
export function freeName(weightings: readonly Weighting[], variables: readonly string[], wanted = "weight") {
  const taken = [...weightings.map(nameOf), ...variables];
  let name = wanted;
  for (let k = 2; taken.includes(name); k++) name = `${wanted}${k}`;
  return name;
}

/** Faults of a place in a study file, and those of other places. */
export function faultsAt(faults: readonly Schema["Fault"][], place: string) {
  const own = faults.filter((f) => f.where?.startsWith(place));
  return { own, others: faults.filter((f) => !own.includes(f)) };
}

/** A weighting that begins with a weight by its new name. */
export function basedOn(weighting: Weighting, was: string, to: string): Weighting {
  const { base } = weighting;
  if (base === was) return { ...weighting, base: to };
  if (base == null || typeof base === "string" || "stratum_population" in base) return weighting;
  const named = (names?: readonly string[]) => names?.map((name) => (name === was ? to : name));
  return { ...weighting, base: { ...base, times: named(base.times), over: named(base.over) } };
}

/** One weighting of the study, and how it is changed. */
export function useWeighting(at: number) {
  const study = useStudy();
  const { change } = useChange();
  const variables = useCodebook().variables.map((v) => v.variable.name);
  const weightings = study.document.weightings ?? [];
  const weighting = weightings[at] ?? freshWeighting([], variables);
  const next = (parts: Partial<Weighting>) => (document: Schema["Study"]) => {
    const there = document.weightings?.length ? document.weightings : [freshWeighting([], variables)];
    return { weightings: there.map((w, i) => (i === at ? { ...w, ...parts } : w)) };
  };
  return {
    study,
    weighting,
    pending: change.isPending,
    save: (parts: Partial<Weighting>) => change.mutate(next(parts)),
    /** One margin more. */
    add: (margin: Margin) =>
      change.mutate((document) => next({ margins: [...(document.weightings?.[at]?.margins ?? []), margin] })(document)),
    /** Another state of one margin, whatever else is being saved. */
    margin: (place: number, turned: (margin: Margin) => Margin) =>
      change.mutate((document) => {
        const margins = document.weightings?.[at]?.margins ?? [];
        return next({ margins: margins.map((m, i) => (i === place ? turned(m) : m)) })(document);
      }),
    /** A change of the limits, whatever else is being saved. */
    limit: (parts: Partial<Limits>) =>
      change.mutate((document) => {
        const { low = 0, high = null } = { ...document.weightings?.[at]?.limits, ...parts };
        return next({ limits: low === 0 && high == null ? null : { low, high } })(document);
      }),
    /** Gives the weight another name wherever it is used. */
    rename: (to: string) => {
      const was = nameOf(weighting);
      change.mutate((document) => ({
        weightings: next({ save_as: to })(document).weightings.map((w, i) => (i > at ? basedOn(w, was, to) : w)),
        ...(document.design?.weight === was ? { design: { ...document.design, weight: to } } : {}),
      }));
    },
  };
}

/** What the weights start from, in a few words. */
export function baseSays({ base }: Weighting): string {
  if (base == null) return "1 for every case";
  if (typeof base === "string") return base;
  if ("stratum_population" in base) return `${base.stratum_population} over the cases in ${base.by.join(" × ")}`;
  const over = (base.over ?? []).map((name) => ` / ${name}`).join("");
  return `${(base.times ?? []).join(" × ") || "1"}${over}${base.divided_by && base.divided_by !== 1 ? ` / ${base.divided_by}` : ""}`;
}
