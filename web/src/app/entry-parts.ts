import type { Step } from "../api/client";

type Value = unknown;

/** What a key of an entry is called, and how it is written. */
export const KEYS: Record<
  string,
  [label: string, as: "formula" | "names" | "name" | "tick" | "lines" | "text" | "number" | "choice"]
> = {
  variables: ["Variables", "names"],
  items: ["Items", "names"],
  of: ["Alike in all of", "names"],
  variable: ["Variable", "name"],
  where: ["Where", "formula"],
  into: ["Name of the new variable", "text"],
  label: ["Its text", "text"],
  suffix: ["Ending of the new names", "text"],
  scale: ["Answer scale", "text"],
  separator: ["Answers are separated by", "text"],
  id: ["Case", "text"],
  from: ["File to look up", "text"],
  take: ["Columns taken", "lines"],
  among: ["Cases", "lines"],
  spare: ["Records that stay in use, a line each", "lines"],
  code: ["Code", "number"],
  at_least: ["Answers wanted at least", "number"],
  answers: ["Wordings and their codes, “wording = code” a line each", "lines"],
  codes: ["Changes, “code = code” a line each, nothing after = for blank", "lines"],
  names: ["New names, “old = new” a line each", "lines"],
  on: ["Keys, “variable = column” a line each", "lines"],
  options: ["Answers, “code label” a line each", "lines"],
  groups: ["Categories, “code label: codes” a line each", "lines"],
  bands: ["Bands, “code label: from to below” a line each", "lines"],
  trim: ["Take off white space at the ends", "tick"],
  squeeze: ["Make one space of several", "tick"],
  words: ["Read numbers in words too", "tick"],
  again: ["Turn it round once more", "tick"],
  how: ["It is", "choice"],
  keep: ["Keep", "choice"],
  case: ["Letter case", "choice"],
  otherwise: ["What fits nothing", "text"],
  missing: ["Keys without a match", "choice"],
  decimal: ["Decimals are written with", "text"],
  by: ["The case is named by", "choice"],
};

export const CHOICES: Record<string, readonly (readonly [string, string])[]> = {
  how: [
    ["mean", "the mean"],
    ["total", "the total"],
  ],
  keep: [
    ["first", "the first of each"],
    ["last", "the last of each"],
    ["fullest", "the fullest of each"],
  ],
  case: [
    ["", "as it is"],
    ["lower", "all small"],
    ["upper", "all capitals"],
    ["sentence", "first letter large"],
  ],
  missing: [
    ["refuse", "stop"],
    ["flag", "stay a finding"],
  ],
  by: [
    ["id", "its identifier"],
    ["row", "its record number"],
  ],
};

/** Keys that an entry may have though it has none yet. */
export const MORE: Record<string, string[]> = {
  fill_blank: ["where"],
  recode: ["suffix"],
  reverse: ["suffix", "again"],
  collapse: ["label", "otherwise"],
  band: ["label"],
  derive: ["label", "scale"],
  score: ["how", "at_least", "label"],
  tidy: ["case", "trim", "squeeze"],
  to_number: ["decimal", "words"],
  code: ["scale", "answers", "otherwise"],
  drop_cases: ["spare"],
};

const DEFAULTS: Record<string, Value> = {
  trim: true,
  squeeze: true,
  how: "mean",
  at_least: 1,
  decimal: ".",
  otherwise: "flag",
};

/** The value of a key, or what it means to leave it out. */
export const partOf = (step: Step, key: string): Value => (step as Record<string, Value>)[key] ?? DEFAULTS[key] ?? null;

type Named = { code: number; label: string };

/** A list or table of an entry as lines. */
export function asLines(key: string, value: Value): string {
  if (value == null) return "";
  if (key === "groups")
    return (value as (Named & { from: number[] })[])
      .map((g) => `${g.code} ${g.label}: ${g.from.join(", ")}`)
      .join("\n");
  if (key === "bands")
    return (value as (Named & { from?: number | null; below?: number | null })[])
      .map((b) => `${b.code} ${b.label}: ${b.from ?? ""} to ${b.below ?? ""}`)
      .join("\n");
  if (key === "options") return (value as Named[]).map((o) => `${o.code} ${o.label}`).join("\n");
  if (Array.isArray(value)) return value.join("\n");
  if (typeof value === "object")
    return Object.entries(value)
      .map(([k, v]) => `${k} = ${v ?? ""}`)
      .join("\n");
  return String(value);
}

const numberOr = (text: string) => (text !== "" && Number.isFinite(Number(text)) ? Number(text) : text);

/** Lines read back; undefined where they do not read. */
export function fromLines(key: string, text: string): Value | undefined {
  const lines = text
    .split(/\r?\n/)
    .map((l) => l.trimEnd())
    .filter((l) => l.trim());
  if (key === "groups" || key === "bands" || key === "options") {
    const found = lines.map((line) => /^\s*(-?\d+)\s+(.*?)(?::\s*([^:]*))?$/.exec(line));
    if (found.some((m) => !m)) return undefined;
    return found.map((m) => {
      const named = { code: Number(m?.[1]), label: m?.[2] ?? "" };
      const rest = m?.[3] ?? "";
      if (key === "options") return { ...named, label: rest ? `${named.label}: ${rest}` : named.label };
      if (key === "groups")
        return {
          ...named,
          from: rest
            .split(/[\s,]+/)
            .filter(Boolean)
            .map(Number),
        };
      const [from, below] = rest.split(/\bto\b/).map((part) => part.trim());
      return { ...named, ...(from ? { from: Number(from) } : {}), ...(below ? { below: Number(below) } : {}) };
    });
  }
  if (key === "answers" || key === "codes" || key === "names") {
    const pairs = lines.map((line) => {
      const at = line.lastIndexOf("=");
      return at < 0 ? null : ([line.slice(0, at).trimEnd(), line.slice(at + 1).trim()] as const);
    });
    if (pairs.some((p) => !p)) return undefined;
    return Object.fromEntries(
      pairs.map((p) => [
        p?.[0] ?? "",
        key === "names" ? (p?.[1] ?? "") : p?.[1] === "" ? null : numberOr(p?.[1] ?? ""),
      ]),
    );
  }
  if (key === "on" && lines.some((l) => l.includes("=")))
    return Object.fromEntries(lines.map((l) => l.split("=").map((part) => part.trim())));
  return lines.map((l) => (key === "take" || key === "on" ? l.trim() : numberOr(l.trim())));
}
