import { describe, expect, it } from "vitest";
import { asLines, fromLines } from "../src/app/entry-parts";

const VALUES: [key: string, value: unknown][] = [
  ["answers", { Agre: 4, "a = b": 2, " spaced": 1 }],
  ["codes", { 9: 99, 8: null }],
  ["names", { old: "new", q1: "age" }],
  ["on", { district: "code" }],
  ["on", ["district"]],
  ["take", ["stratum", "weight"]],
  ["in", ["a", 7]],
  ["spare", [3, 14]],
  [
    "options",
    [
      { code: 1, label: "Work: paid" },
      { code: 2, label: "Leisure" },
    ],
  ],
  [
    "groups",
    [
      { code: 1, label: "Low: or less", from: [1, 2] },
      { code: 2, label: "High", from: [5] },
    ],
  ],
  [
    "bands",
    [
      { code: 1, label: "Under 18", below: 18 },
      { code: 2, label: "18 to 34", from: 18, below: 35 },
      { code: 3, label: "35 and over", from: 35 },
    ],
  ],
];

describe("parts of an entry as lines", () => {
  it.each(VALUES)("%s reads back as it was written", (key, value) => {
    expect(fromLines(key, asLines(key, value))).toEqual(value);
  });

  it("does not read what is no pair or has no code", () => {
    expect(fromLines("answers", "Agre 4")).toBeUndefined();
    expect(fromLines("groups", "Low: 1")).toBeUndefined();
  });
});
