import { describe, expect, it } from "vitest";
import type { Step } from "../src/api/client";
import { codesFrom, linesOf, relabelled, stillPlacing, wrongWith } from "../src/stations/codebook/scales/lines";

describe("a scale from lines", () => {
  it.each([
    ["1 Never\n2 Often", [1, "Never"], [2, "Often"]],
    ["1=Never\n2=Often", [1, "Never"], [2, "Often"]],
    ["1\tNever\r\n2\tOften\r\n", [1, "Never"], [2, "Often"]],
    ["10. Never\n-1: Often", [10, "Never"], [-1, "Often"]],
    ["Never\nOften", [1, "Never"], [2, "Often"]],
  ])("reads %j", (text, ...codes) => {
    expect(codesFrom(text).map((c) => [c.code, c.label])).toEqual(codes);
  });

  it("numbers labels that begin with a number in some lines only", () => {
    expect(codesFrom("2 times a week\nNever")).toEqual([
      { code: 1, label: "2 times a week" },
      { code: 2, label: "Never" },
    ]);
  });

  it("counts codes for no answer downwards", () => {
    expect(codesFrom("Refused\nDon't know", 99, -1).map((c) => c.code)).toEqual([99, 98]);
  });

  it("is written as it is read", () => {
    const codes = [
      { code: 3, label: "4 or more" },
      { code: -2, label: "a: b = c" },
    ];
    expect(codesFrom(linesOf(codes))).toEqual(codes);
  });

  it("says what keeps it from being one", () => {
    expect(wrongWith([], [])).toMatch("at least one answer");
    expect(wrongWith(codesFrom("1 a\n1 b"), [])).toMatch("Code 1 appears twice");
    expect(wrongWith(codesFrom("1 a"), codesFrom("9 a"))).toMatch("“a” occurs twice");
    expect(wrongWith(codesFrom("1 a\n2 b"), codesFrom("9 c"))).toBeUndefined();
  });
});

describe("a scale that is changed", () => {
  const before = codesFrom("1 Yes\n2 No");
  it("says which codes would say something else", () => {
    expect(relabelled(before, codesFrom("2 Nay\n1 Yes\n3 Perhaps"))).toEqual([{ code: 2, from: "No", to: "Nay" }]);
    expect(relabelled(before, codesFrom("1 Yes"))).toEqual([]);
  });
  it("still places the words it had", () => {
    const steps: Step[] = [
      { do: "code", variables: ["q"], scale: "s", answers: { Nope: 2 } },
      { do: "code", variables: ["r"], scale: "t", answers: {} },
    ];
    const after = stillPlacing(steps, "s", [{ code: 2, from: "No" }]);
    expect(after[0]).toMatchObject({ answers: { No: 2, Nope: 2 } });
    expect(after[1]).toBe(steps[1]);
  });
});
