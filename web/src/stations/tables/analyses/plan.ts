import type { Schema } from "../../../api/client";

export type Part = "models" | "reliability" | "correlations";
export type Model = Schema["ModelRequest"];
export type Scale = Schema["ReliabilityRequest"];
export type Pairs = Schema["CorrelationsRequest"];
export type Analysis = Model | Scale | Pairs;

/** Results as they always come: whole. */
export type ModelFound = Omit<Required<Schema["ModelResult"]>, "variables"> & { variables: Required<Schema["Term"]>[] };
export type ScaleFound = Required<Schema["ReliabilityResult"]>;

/** The parts of a plan that are no tables: how they are addressed, what one is called, and how one begins. */
export const PARTS: readonly { part: Part; mark: string; title: string; one: string; id: string }[] = [
  { part: "models", mark: "model.", title: "Models", one: "model", id: "m" },
  { part: "reliability", mark: "scale.", title: "Scale reliability", one: "scale of items", id: "r" },
  { part: "correlations", mark: "pairs.", title: "Correlations", one: "set of correlations", id: "c" },
];

/** How an address of models side by side begins. */
export const BESIDE = "beside.";

/** Which analysis an address means; null for tables. */
export function partOf(item: string | undefined): { part: Part; id: string } | null {
  const found = PARTS.find((p) => item?.startsWith(p.mark));
  return found && item ? { part: found.part, id: item.slice(found.mark.length) } : null;
}

export const itemOf = (part: Part, id: string) => `${PARTS.find((p) => p.part === part)?.mark}${id}`;

export const analysesOf = (document: Schema["Study"], part: Part): readonly Analysis[] => document[part] ?? [];

/** A new analysis under a free identifier. */
export function fresh(document: Schema["Study"], part: Part): Analysis {
  const about = PARTS.find((p) => p.part === part) as (typeof PARTS)[number];
  const there = analysesOf(document, part).map((a) => a.id);
  let k = there.length + 1;
  while (there.includes(`${about.id}${k}`)) k++;
  const id = `${about.id}${k}`;
  if (part === "models") return { id, kind: "linear", outcome: "", terms: [] } as Model;
  if (part === "reliability") return { id, items: [] } as unknown as Scale;
  return { id, variables: [], method: "pearson" } as unknown as Pairs;
}

/** The items of a scale, or the variables that are correlated. */
export const namesOf = (part: Part, analysis: Analysis): readonly string[] =>
  (part === "reliability" ? (analysis as Scale).items : (analysis as Pairs).variables) ?? [];

/** What an analysis is of, in a line. */
export function gistOf(part: Part, analysis: Analysis): string {
  if (part === "models") {
    const model = analysis as Model;
    const terms = (model.terms ?? []).map((t) => t.join(" × ")).join(", ");
    return `${model.kind}: ${model.outcome || "no outcome yet"}${terms ? ` by ${terms}` : ""}`;
  }
  return namesOf(part, analysis).join(", ") || "nothing yet";
}

/** What an analysis is called: its title, else what it is of. */
export function calledOf(part: Part, analysis: Analysis): string {
  if (analysis.title) return analysis.title;
  if (!ready(part, analysis)) return `New ${PARTS.find((p) => p.part === part)?.one}`;
  const gist = gistOf(part, analysis);
  return part === "models"
    ? gist.replace(/^\w+: /, "")
    : `${part === "reliability" ? "Reliability" : "Correlations"} of ${gist}`;
}

/** Whether enough is said for it to be worked out. */
export function ready(part: Part, analysis: Analysis): boolean {
  if (part === "models") {
    const model = analysis as Model;
    return model.outcome !== "" && (model.kind === "linear" || (model.event ?? []).length > 0);
  }
  return namesOf(part, analysis).length > 1;
}

/** A model with other terms: what was said of variables that are in none of them goes with them. */
export function withTerms(model: Model, terms: string[][]): Model {
  const used = new Set(terms.flat());
  return {
    ...model,
    terms,
    reference: Object.fromEntries(Object.entries(model.reference ?? {}).filter(([name]) => used.has(name))),
    as_number: (model.as_number ?? []).filter((name) => used.has(name)),
    predictions: (model.predictions ?? []).filter((name) => used.has(name)),
  };
}

/** With a name, or without it where it is there. */
export const toggled = <T>(list: readonly T[], item: T): T[] =>
  list.includes(item) ? list.filter((x) => x !== item) : [...list, item];
