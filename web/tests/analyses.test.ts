import { describe, expect, it } from "vitest";
import type { Schema } from "../src/api/client";
import { contrastsOf } from "../src/parts/table-plan";
import { axisOf } from "../src/stations/tables/analyses/axis";
import {
  calledOf,
  fresh,
  gistOf,
  itemOf,
  type Model,
  partOf,
  ready,
  toggled,
  withTerms,
} from "../src/stations/tables/analyses/plan";
import { columnsOf, contrastName, withTerm } from "../src/stations/tables/contrasts";

const document = { models: [{ id: "m1" }, { id: "m2" }] } as unknown as Schema["Study"];

describe("an analysis in the plan", () => {
  it("has an address of its own, and tables have none", () => {
    expect(partOf(itemOf("models", "a.b"))).toEqual({ part: "models", id: "a.b" });
    expect(partOf(itemOf("correlations", "c1"))).toEqual({ part: "correlations", id: "c1" });
    expect([partOf("t1"), partOf(undefined)]).toEqual([null, null]);
  });

  it("begins under a free identifier, and is not worked out before enough is said", () => {
    const model = fresh(document, "models") as Model;
    expect(model.id).toBe("m3");
    expect(ready("models", model)).toBe(false);
    expect(ready("models", { ...model, outcome: "spend" })).toBe(true);
    expect(ready("models", { ...model, kind: "logistic", outcome: "often" })).toBe(false);
    expect(ready("models", { ...model, kind: "logistic", outcome: "often", event: [3] })).toBe(true);
    const scale = fresh(document, "reliability");
    expect([
      ready("reliability", scale),
      ready("reliability", { ...scale, items: ["a", "b"] } as typeof scale),
    ]).toEqual([false, true]);
    expect(calledOf("models", model)).toBe("New model");
    expect(calledOf("models", { ...model, outcome: "y", terms: [["a"]] } as Model)).toBe("y by a");
    expect(calledOf("models", { ...model, title: "Mine" })).toBe("Mine");
    expect(gistOf("models", { ...model, outcome: "y", terms: [["a"], ["a", "b"]] } as Model)).toBe(
      "linear: y by a, a × b",
    );
  });

  it("forgets what was said of a variable that no term holds any more", () => {
    const model = {
      ...(fresh(document, "models") as Model),
      terms: [["isle"], ["sex"]],
      reference: { isle: 2, sex: 1 },
      as_number: ["sex"],
      predictions: ["isle"],
    };
    const to = withTerms(model, [["isle"], ["isle", "age"]]);
    expect([to.reference, to.as_number, to.predictions]).toEqual([{ isle: 2 }, [], ["isle"]]);
    expect(toggled(toggled([1, 2], 2), 3)).toEqual([1, 3]);
  });
});

describe("an axis", () => {
  it("holds every estimate with its limits and the place of nothing", () => {
    const axis = axisOf([{ est: 2, low: 1, high: 3 }], 0);
    expect(axis && axis.low < 0 && axis.high > 3).toBe(true);
    expect(axisOf([], 0)).toBeNull();
  });

  it("is one of logarithms for ratios, which are above nought", () => {
    const axis = axisOf([{ est: 2, low: 0.5, high: 8 }], 1, true);
    expect(axis && axis.low < Math.log(0.5) && axis.high > Math.log(8)).toBe(true);
  });
});

describe("contrasts", () => {
  const result = {
    banners: [
      {
        variables: ["sex", "isle"],
        categories: [
          [{ code: 1, label: "Woman" }],
          [
            { code: 3, label: "Tolvey" },
            { code: 4, label: "Brim" },
          ],
        ],
      },
    ],
  } as unknown as Schema["TableResult"];

  it("are of all columns of the banner, and of everybody", () => {
    expect(columnsOf(result)).toEqual([
      { at: { sex: 1, isle: 3 }, label: "Woman, Tolvey" },
      { at: { sex: 1, isle: 4 }, label: "Woman, Brim" },
      { at: {}, label: "all cases" },
    ]);
  });

  it("are made by pointing at columns, each as often as it was pointed at", () => {
    const [hask, brim, all] = [{ isle: 1 }, { isle: 4 }, {}];
    let terms = withTerm(withTerm([], brim, 1), hask, -1);
    expect(terms).toEqual([
      { at: brim, times: 1 },
      { at: hask, times: -1 },
    ]);
    const name = (at: Record<string, number>) => ({ 1: "Hask", 4: "Brim" })[at.isle ?? 0] ?? "all cases";
    expect(contrastName(terms, name, false)).toBe("Brim less Hask");
    expect(contrastName(terms, name, true)).toBe("Brim over Hask");
    terms = withTerm(withTerm(withTerm(terms, hask, 1), brim, 1), all, -1);
    expect(terms).toEqual([
      { at: brim, times: 2 },
      { at: all, times: -1 },
    ]);
    expect(contrastName(terms, name, false)).toBe("2 × Brim − all cases");
  });

  it("go with the columns they are made of", () => {
    const contrast = (at: Record<string, number>) => ({ label: JSON.stringify(at), of: [{ at, times: 1 }] });
    const contrasts = [contrast({ isle: 1 }), contrast({ isle: 1, sex: 2 }), contrast({})];
    const left = (banner: (string | string[])[]) => contrastsOf({ banner, contrasts }).length;
    expect([left(["isle"]), left([["sex", "isle"]]), left(["isle", ["sex", "isle"]]), left([])]).toEqual([2, 2, 3, 1]);
  });
});
