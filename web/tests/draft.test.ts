import { describe, expect, it } from "vitest";
import { linesOf } from "../src/stations/codebook/drafted";
import {
  type Line,
  type LineView,
  meaning,
  relabelled,
  reordered,
  same,
  turned,
} from "../src/stations/intake/draft/edits";

const line: Line = {
  questions: ["q1"],
  kind: "coded",
  why: "known_order",
  sure: 0.9,
  scale_name: "often",
  scale: {
    codes: [
      { code: 1, label: "Never" },
      { code: 2, label: "Sometimes" },
      { code: 3, label: "Always" },
    ],
    ordered: true,
    missing: [{ code: 99, label: "Refused" }],
    midpoint: 2,
  },
  answers: { allways: 3, " Never": 1 },
};
const labels = (of: Line) => of.scale?.codes.map((c) => `${c.code} ${c.label}`);
const none = (of: Line) => of.scale?.missing?.map((c) => `${c.code} ${c.label}`);

describe("a line of the draft", () => {
  it("keeps what every wording means when its answers are put in another order", () => {
    const to = reordered(line, 2, 0);
    expect(labels(to)).toEqual(["1 Always", "2 Never", "3 Sometimes"]);
    expect(to.answers).toEqual({ allways: 1, " Never": 2 });
    expect(to.scale?.midpoint).toBe(3);
    expect(labels(turned(line))).toEqual(["1 Always", "2 Sometimes", "3 Never"]);
  });

  it("does not touch codes that stand in the file", () => {
    const given: Line = { ...line, why: "few_whole_numbers", answers: {} };
    expect(labels(reordered(given, 2, 0))).toEqual(["3 Always", "1 Never", "2 Sometimes"]);
    expect(relabelled(given, 1, "Not once").answers).toEqual({});
  });

  it("goes on reading what the file calls a code that gets another label", () => {
    const to = relabelled(line, 1, "Not once");
    expect(labels(to)?.[0]).toBe("1 Not once");
    expect(to.answers).toEqual({ allways: 3, " Never": 1, Never: 1 });
    expect(relabelled(line, 1, "  ")).toBe(line);
  });

  it("sets answers apart that mean none, and takes them back", () => {
    const apart = meaning(line, 2, true);
    expect([labels(apart), none(apart)]).toEqual([
      ["1 Never", "2 Always"],
      ["99 Refused", "98 Sometimes"],
    ]);
    expect(apart.answers).toEqual({ allways: 2, " Never": 1 });
    const back = meaning(apart, 98, false);
    expect(labels(back)).toEqual(["1 Never", "2 Always", "3 Sometimes"]);
  });

  it("makes two answers one", () => {
    const to = same(line, 1, 2);
    expect(labels(to)).toEqual(["1 Sometimes", "2 Always"]);
    expect(to.answers).toEqual({ allways: 2, " Never": 1, Never: 1 });
  });

  it("is cut to the questions that were chosen; one of several columns is whole or not there", () => {
    const view = (questions: string[], kind: Line["kind"]): LineView => ({
      line: { ...line, kind, questions },
      titles: questions.map((name) => `Title of ${name}`),
      unsure: false,
      effect: { answers: [], blank: 0, left: 0 } as unknown as LineView["effect"],
    });
    const draft = [view(["q1", "q2", "q3"], "coded"), view(["a", "b"], "several"), view(["t"], "text")];
    const cut = linesOf(draft, ["q3", "q1", "a"]);
    expect(cut.map((v) => [v.line.questions, v.titles])).toEqual([
      [
        ["q1", "q3"],
        ["Title of q1", "Title of q3"],
      ],
    ]);
    expect(linesOf(draft, ["a", "b"])).toEqual([draft[1]]);
  });
});
