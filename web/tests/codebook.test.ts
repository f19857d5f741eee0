import { describe, expect, it } from "vitest";
import { bandsFrom } from "../src/stations/codebook/band";
import { frequent, type VariableView } from "../src/stations/codebook/matching";
import { partsOf } from "../src/stations/codebook/questionnaire";
import { unfitting } from "../src/stations/codebook/scales/fit";

const text = (name: string, answers: Record<string, number>): VariableView =>
  ({
    variable: { name, kind: "text" },
    answers: Object.entries(answers).map(([label, cases]) => ({ label, cases, code: null, sort: "answer" })),
  }) as unknown as VariableView;

describe("bands from where they begin", () => {
  const label = (from: number, below: number | null) => `${from}-${below ?? ""}`;
  it("end where the next begins", () => {
    expect(bandsFrom("18, 35 60", label)).toEqual([
      { code: 1, label: "18-35", from: 18, below: 35 },
      { code: 2, label: "35-60", from: 35, below: 60 },
      { code: 3, label: "60-", from: 60 },
    ]);
  });
  it("want numbers that ascend", () => {
    for (const wrong of ["", "a", "3, 2", "3, 3"]) expect(bandsFrom(wrong, label)).toBeNull();
  });
});

describe("answers of their own", () => {
  it("are those given often, spacing and letter case aside", () => {
    const found = frequent([text("a", { Yes: 700, yes: 200, No: 90 }), text("b", { Yes: 6, "No ": 3, Nay: 1 })]);
    expect(found.own).toEqual(["Yes", "No"]);
    expect(found.all).toEqual(["Yes", "yes", "No", "No ", "Nay"]);
  });
});

describe("the questionnaire", () => {
  it("has batteries in the place of their first question, and no parts of several answers", () => {
    const views = ["a", "b", "c", "m", "m_1", "m_2"].map((name) => text(name, {}));
    (views[3] as VariableView).variable.parts = ["m_1", "m_2"];
    const battery = { stem: "How?", variables: ["b", "c"], items: ["B", "C"], scale: null };
    const parts = partsOf({ variables: views, scales: {}, used_by: {}, batteries: [battery], several: [] });
    expect(parts.map((p) => ("stem" in p ? p.variables.join("+") : p.variable.name))).toEqual(["a", "b+c", "m"]);
  });
});

describe("wordings that do not fit", () => {
  it("are counted over all variables, most frequent first", () => {
    const fitOf = (variable: string, ...answers: [string, number, number | null, number | null][]) => ({
      variable,
      verdict: "in part" as const,
      says: "",
      answers: answers.map(([answer, cases, code, proposal]) => ({
        answer,
        cases,
        code,
        proposal,
        why: proposal == null ? null : ("misspelt" as const),
        like: proposal == null ? null : 89,
      })),
    });
    const found = unfitting([
      fitOf("a", ["Agree", 90, 4, null], ["Agre", 1, null, 4]),
      fitOf("b", ["Agre", 2, null, 4], ["pardon?", 2, null, null]),
    ]);
    expect(found).toEqual([
      { text: "Agre", cases: 3, proposal: 4, why: "likely a misspelling, 89 % alike" },
      { text: "pardon?", cases: 2, proposal: null, why: "" },
    ]);
  });
});
