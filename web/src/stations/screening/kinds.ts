import type { Schema } from "../../api/client";

type Finding = Schema["Finding"];

/** Checks in the words of the trade: the heading of their findings, and what one of them says. */
export const KINDS: Record<string, { heading: string; says: string }> = {
  rule: { heading: "Rules broken", says: "a rule is not met" },
  not_in_codebook: { heading: "Codes not in the codebook", says: "the scale does not know this code" },
  not_placed: { heading: "Unrecognised answers", says: "fits neither a code nor a number" },
  out_of_range: { heading: "Out of range", says: "beyond what the codebook says it can be" },
  staff_test: { heading: "Staff tests", says: "made while trying the form" },
  duplicate_identifier: { heading: "Duplicate identifiers", says: "the same identifier more than once" },
  duplicate_entry: { heading: "Duplicate records", says: "alike in every answer" },
  ended_before_started: { heading: "Ended before it was started", says: "its end lies before its start" },
  too_fast: { heading: "Too fast", says: "finished faster than it can be read" },
  too_little: { heading: "Mostly unanswered", says: "of the questions of all batteries" },
  straight_line: { heading: "Straight-lining", says: "one answer to a whole battery" },
  unusual: { heading: "Outliers", says: "far outside the interquartile range" },
  influential: { heading: "Influential cases", says: "one case has a large effect on the mean of a number" },
  blank: { heading: "Blanks without a code", says: "blank, though the scale has a code for no answer" },
};

/** One entry, in all the questions it was found in: what is settled once is settled for all. */
export interface Group {
  key: string;
  kind: string;
  value: string;
  findings: Finding[];
  cases: number;
  accepted: string | null;
}

/** A finding's address; one with a movable cut-off keeps its own while the cut moves. */
const keyOf = (f: Finding) =>
  f.kind === "not_placed" || f.kind === "not_in_codebook"
    ? `${f.kind}~${f.value}`
    : f.kind === "too_fast" || f.kind === "too_little"
      ? f.kind
      : f.kind === "influential"
        ? `${f.kind}~${f.variable}`
        : `${f.kind}~${f.variable}~${f.value}`;

/** Findings of one entry together, in the order of the sweep. */
export function groupsOf(findings: readonly Finding[]): Group[] {
  const groups = new Map<string, Group>();
  for (const f of findings) {
    const key = keyOf(f);
    const group = groups.get(key) ?? {
      key,
      kind: f.kind,
      value: f.value,
      findings: [],
      cases: 0,
      accepted: f.accepted ?? null,
    };
    group.findings.push(f);
    group.cases += f.cases;
    if (!f.accepted) group.accepted = null;
    groups.set(key, group);
  }
  return [...groups.values()];
}

/** What a group is called: the entry, or the variable where the check names none. */
export const titleOf = (group: Group) =>
  group.kind === "not_placed" || group.kind === "not_in_codebook"
    ? `“${group.value}”`
    : ["blank", "unusual", "influential"].includes(group.kind)
      ? (group.findings[0]?.variable ?? "")
      : group.value || group.findings[0]?.variable || (KINDS[group.kind]?.heading ?? group.kind);
