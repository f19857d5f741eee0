import { describe, expect, it } from "vitest";
import { offers, placeIn, unfinished } from "../src/parts/completion";

const VARIABLES = [
  ["age", "How old are you?"],
  ["age_band", "Age"],
  ["ferry_runs", "How far do you agree"],
  ["mean_stay", "Nights"],
] as const;

describe("completion of a formula", () => {
  it("knows the unfinished name before a place", () => {
    expect(unfinished("pick(ag", 7)).toBe("ag");
    expect(unfinished("pick(ag, 1)", 7)).toBe("ag");
    expect(unfinished("age > 6", 7)).toBe("");
    expect(unfinished("x_1", 3)).toBe("x_1");
  });

  it("offers names that begin with it before those that hold it", () => {
    expect(offers("ag", VARIABLES).map((o) => o.insert)).toEqual(["age", "age_band"]);
    expect(offers("mean", VARIABLES).map((o) => o.insert)).toEqual(["mean(", "mean_stay"]);
    expect(offers("run", VARIABLES).map((o) => o.insert)).toEqual(["ferry_runs"]);
  });

  it("looks into question texts once enough is typed", () => {
    expect(offers("agre", VARIABLES).map((o) => o.insert)).toEqual(["ferry_runs"]);
    expect(offers("", VARIABLES)).toEqual([]);
  });

  it("leaves a name or word that is whole as it is", () => {
    expect(offers("age", VARIABLES).map((o) => o.insert)).toEqual(["age", "age_band"]);
    expect(offers("age_band", VARIABLES)).toEqual([]);
    expect(offers("and", VARIABLES)).toEqual([]);
  });

  it("finds the character that a fault points at", () => {
    expect(placeIn({ what: "There is no variable 'x' (character 6 of 'pick(x)')", where: "", mend: "" })).toBe(5);
    expect(placeIn({ what: "Nonsense.", where: "", mend: "" })).toBe(-1);
  });
});
