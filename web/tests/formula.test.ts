import { describe, expect, it } from "vitest";
import { offers, unfinished } from "../src/parts/completion";

const VARIABLES = [
  ["age", "How old are you?"],
  ["age_band", "Age"],
  ["ferry_runs", "How far do you agree"],
  ["mean_stay", "Nights"],
] as const;

const FUNCTIONS = [
  ["mean", "mean of those answered"],
  ["abs", "without its sign"],
] as const;

describe("completion of a formula", () => {
  it("knows the unfinished name before a place", () => {
    expect(unfinished("pick(ag", 7)).toBe("ag");
    expect(unfinished("pick(ag, 1)", 7)).toBe("ag");
    expect(unfinished("age > 6", 7)).toBe("");
    expect(unfinished("x_1", 3)).toBe("x_1");
  });

  it("offers names that begin with it before those that hold it", () => {
    expect(offers("ag", VARIABLES, FUNCTIONS).map((o) => o.insert)).toEqual(["age", "age_band"]);
    expect(offers("mean", VARIABLES, FUNCTIONS).map((o) => o.insert)).toEqual(["mean(", "mean_stay"]);
    expect(offers("run", VARIABLES, FUNCTIONS).map((o) => o.insert)).toEqual(["ferry_runs"]);
  });

  it("looks into question texts once enough is typed", () => {
    expect(offers("agre", VARIABLES, FUNCTIONS).map((o) => o.insert)).toEqual(["ferry_runs"]);
    expect(offers("", VARIABLES, FUNCTIONS)).toEqual([]);
  });

  it("leaves a name or word that is whole as it is", () => {
    expect(offers("age", VARIABLES, FUNCTIONS).map((o) => o.insert)).toEqual(["age", "age_band"]);
    expect(offers("age_band", VARIABLES, FUNCTIONS)).toEqual([]);
    expect(offers("and", VARIABLES, FUNCTIONS)).toEqual([]);
  });
});
