import { describe, expect, it } from "vitest";
import type { Schema } from "../src/api/client";
import { found, moved } from "../src/parts/find-many";
import {
  asked,
  batteryOf,
  gist,
  grouped,
  placed,
  type Request,
  sameTable,
  shifted,
  tableOf,
  titleOf,
} from "../src/parts/table-plan";
import { casesOf } from "../src/stations/tables/cases";
import { turned } from "../src/stations/tables/sorter";
import { kindOf } from "../src/stations/weighting/typed-targets";

const table = (id: string, group?: string): Request => ({ id, ...(group ? { group } : {}) });
const view = (name: string, kind: string, label = "") =>
  ({ variable: { name, kind, label }, answers: [] }) as unknown as Schema["VariableView"];

describe("finding by typing", () => {
  const options = [
    { name: "ferry_on_time", title: "The ferry keeps to its times" },
    { name: "sex", title: "Are you a woman or a man?" },
    { name: "essex", title: null },
  ];
  it("looks in names and titles for every word", () => {
    expect(found(options, "times ferry").map((o) => o.name)).toEqual(["ferry_on_time"]);
    expect(found(options, "WOMAN").map((o) => o.name)).toEqual(["sex"]);
    expect(found(options, "")).toHaveLength(3);
  });
  it("puts the name that was typed first", () => {
    expect(found(options, "sex").map((o) => o.name)).toEqual(["sex", "essex"]);
  });
  it("moves within the ends of a list", () => {
    expect(moved(["a", "b", "c"], 0, 1)).toEqual(["b", "a", "c"]);
    expect(moved(["a", "b", "c"], 0, -1)).toEqual(["a", "b", "c"]);
  });
});

describe("the plan", () => {
  const plan = [table("a"), table("b", "G"), table("c"), table("d", "G"), table("e", "H")];
  it("stands under its headings in the order they come", () => {
    expect(grouped(plan).map((g) => [g.group, g.tables.map((t) => t.id)])).toEqual([
      [null, ["a", "c"]],
      ["G", ["b", "d"]],
      ["H", ["e"]],
    ]);
  });
  it("moves a table within its heading and over into the next", () => {
    expect(shifted(plan, "b", 1).map((t) => t.id)).toEqual(["a", "c", "d", "b", "e"]);
    const over = shifted(plan, "c", 1);
    expect(over.map((t) => [t.id, t.group ?? null])).toEqual([
      ["a", null],
      ["c", "G"],
      ["b", "G"],
      ["d", "G"],
      ["e", "H"],
    ]);
    expect(shifted(plan, "e", 1).map((t) => t.id)).toEqual(["a", "c", "b", "d", "e"]);
    expect(shifted(plan, "e", -1).map((t) => [t.id, t.group])).toContainEqual(["e", "G"]);
  });
  it("does not cross a question with itself and knows a table it has", () => {
    const made = tableOf(view("sex", "coded", "Sex"), ["sex", ["isle", "sex"], "isle"], plan);
    expect(made).toMatchObject({ id: "t6", title: "Sex", stub: ["sex"], banner: ["isle"], show: ["col_pct"] });
    expect(sameTable([...plan, made], { ...made, id: "other" })?.id).toBe("t6");
    expect(sameTable(plan, made)).toBeUndefined();
    expect(tableOf(view("y", "number"), [], []).show).toEqual(["mean", "sd", "median"]);
  });
  it("makes one table of a battery", () => {
    const battery = { stem: "How far do you agree: ", variables: ["q1", "q2", "q3", "q4"], items: [], scale: "agree" };
    const made = batteryOf(battery as never, ["sex"], []);
    expect(made).toMatchObject({ title: "How far do you agree", layout: "battery", banner: ["sex"] });
    expect(gist(made)).toBe("q1, q2 and 2 more by sex");
  });
});

describe("sorting by a heading", () => {
  const by = { stat: "col_pct", variable: null, code: null, net: "Agree", at: {}, ascending: false };
  it("goes from the largest to the smallest to none", () => {
    const first = turned(null, by);
    expect(first).toEqual(by);
    const second = turned(first, by);
    expect(second?.ascending).toBe(true);
    expect(turned(second, by)).toBeNull();
    expect(turned(second, { ...by, net: "Other" })?.net).toBe("Other");
  });
});

describe("the cases of a figure", () => {
  const book = {
    variables: [
      view("q", "coded"),
      view("y", "number"),
      view("seen", "date"),
      { variable: { name: "why", kind: "multi", parts: ["w1", "w2"], options: [{ code: 4 }, { code: 7 }] } },
      { variable: { name: "agree", kind: "coded", scale: "s" } },
    ],
    scales: { s: { codes: [{ code: 1 }, { code: 2 }, { code: 3 }] } },
  } as unknown as Schema["CodebookView"];
  const of = (stub: object, banner: object[] = [], request: Partial<Request> = {}, scope: string | null = null) =>
    casesOf({ id: "t", ...request } as Request, scope, book, { stub, banner } as never);
  it("are those of its row, its columns and the filters", () => {
    expect(of({ variable: "q", code: 2 }, [{ variable: "agree", code: 1 }], { where: "y > 3" }, "q != 9")).toBe(
      "(q != 9) and (y > 3) and q == 2 and agree == 1",
    );
    expect(of({ variable: "y" })).toBe("answered(y) > 0");
    expect(of({ variable: "why", code: 7 })).toBe("w2 == 1");
    expect(of({ variable: "why", net: "All" })).toBe("answered(w1, w2) > 0");
  });
  it("are those of a net's answers", () => {
    const nets = [
      { label: "High", top: 2 },
      { label: "Either", stub: "why", codes: [4, 7] },
      { label: "One", banner: "q", codes: [1] },
    ];
    expect(of({ variable: "agree", net: "High" }, [], { nets })).toBe("agree in (2, 3)");
    expect(of({ variable: "why", net: "Either" }, [{ variable: "q", net: "One" }], { nets })).toBe(
      "(w1 == 1 or w2 == 1) and q in (1,)",
    );
  });
  it("are those of a period", () => {
    const month = of({ variable: "seen", code: 202512 });
    expect(month).toBe('seen >= "2025-12-01" and seen < "2026-01-01"');
    expect(of({ variable: "seen", code: 20264 }, [], { dates: "quarter" })).toBe(
      'seen >= "2026-10-01" and seen < "2027-01-01"',
    );
    expect(of({ variable: "seen", code: 20260228 }, [], { dates: "day" })).toBe(
      'seen >= "2026-02-28" and seen < "2026-03-01"',
    );
  });
  it("are not written where a variable is not there", () => {
    expect(of({ variable: "gone", code: 1 })).toBeNull();
  });
});

describe("a table without a title of its own", () => {
  const variables = [
    view("cross", "coded", "How often do you cross?"),
    view("isle", "coded", "Isle"),
    view("age", "number", ""),
  ];
  const begun: Request = { id: "t1", title: "New table", stub: [], banner: [] };

  it("is called by its stub and banner, until somebody names it", () => {
    const stubbed = asked(begun, { stub: ["cross"] }, variables);
    expect([stubbed.title, stubbed.show]).toEqual(["How often do you cross?", ["col_pct"]]);
    const crossed = asked(stubbed, { banner: ["isle", ["isle", "age"]] }, variables);
    expect(crossed.title).toBe("How often do you cross? by Isle, Isle and age");
    const named = asked(crossed, { title: "Crossing" }, variables);
    expect(asked(named, { banner: [] }, variables).title).toBe("Crossing");
  });

  it("begins with the figures of its first question", () => {
    expect(asked(begun, { stub: ["age"] }, variables).show).toEqual(["mean", "sd", "median"]);
    expect(titleOf({ stub: ["a", "b", "c", "d"], banner: [] }, [])).toBe("a, b and 2 more");
  });
});

describe("a table that is dragged", () => {
  it("takes the place and the group of the one it is dropped on", () => {
    const plan = [table("a", "A"), table("b", "A"), table("c", "B"), table("d")];
    const to = placed(plan, "a", "c");
    expect(to.map((t) => `${t.id}${t.group ?? ""}`)).toEqual(["bA", "cB", "aB", "d"]);
    expect(placed(plan, "d", "a").map((t) => `${t.id}${t.group ?? ""}`)).toEqual(["dA", "aA", "bA", "cB"]);
    expect(placed(plan, "a", "a")).toEqual(plan);
  });
});

describe("what targets are", () => {
  it("is recognised by their sum", () => {
    expect([kindOf(100), kindOf(99.9), kindOf(1), kindOf(61_300), kindOf(80)]).toEqual([
      "percent",
      "percent",
      "shares",
      "counts",
      "counts",
    ]);
  });
});
