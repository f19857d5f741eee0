import { describe, expect, it } from "vitest";
import { placeInWords } from "../src/parts/places";

describe("the place of a fault", () => {
  it.each([
    ["weightings[0].margins[1].targets", "weighting 1, margin 2, its targets"],
    ["ledger[3].where", "entry 4"],
    ["tables[2].stub[0]", "table 3"],
    ["design.single_psu", "the sample design"],
    ["answers.csv, line 3", "answers.csv, line 3"],
    ["value", ""],
    ["", ""],
  ])("%s is said as %s", (where, said) => {
    expect(placeInWords(where)).toBe(said);
  });
});
