import type { Schema } from "../api/client";

type Variable = Schema["Variable"];

/** What a variable is, in words. */
export const KIND: Readonly<Record<Variable["kind"], string>> = {
  coded: "coded",
  number: "number",
  text: "text",
  date: "date",
  multi: "multiple response",
};

/** What a variable is for in the survey; the first is none. */
export const ROLES: readonly (readonly [string, string])[] = [
  ["", "none"],
  ["id", "identifier"],
  ["status", "completion status"],
  ["started", "start time"],
  ["ended", "end time"],
  ["seconds", "duration in seconds"],
  ["weight", "weight"],
  ["stratum", "stratum"],
  ["cluster", "cluster (first-stage unit)"],
  ["population_size", "population size (for the fpc)"],
  ["order", "order of the questions"],
];

export const roleOf = (variable: Variable) => ROLES.find(([role]) => role === variable.role)?.[1];
