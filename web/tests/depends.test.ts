import { describe, expect, it } from "vitest";
import type { DependenceLine } from "../src/api/depends";
import { valuesOf } from "../src/stations/tables/depends/alternatives";
import { quantile, saysCombined } from "../src/stations/tables/depends/combinations";
import { saysInfluence } from "../src/stations/tables/depends/influence";
import { mostMoved } from "../src/stations/tables/depends/part-page";
import { saysTurned, turnsLetter } from "../src/stations/tables/depends/turned";
import { movedOf, pathsOf, saysMoved, signed } from "../src/stations/tables/depends/words";

const CELL = { stub: { variable: "q", code: 1 }, banner: [], stat: "col_pct", est: 0.4, se: 0.02 } as never;

function line(says: string, without: number | null, over: Partial<DependenceLine> = {}): DependenceLine {
  const change = without == null ? null : without - 0.4;
  const cell = { stub: { variable: "q", code: 1 }, banner: [], stat: "col_pct", est: 0.4, se: 0.02, without, change };
  const cells = [{ ...cell, in_se: change == null ? null : change / 0.02 }];
  const tables = [{ id: "t", cells: [{ ...cells[0], stub: { variable: "q", code: 2 }, change: 9 }, ...cells] }];
  const about = { at: 0, of: 3, id: says, kind: "ledger", says, entries: [], refused: null, gone: 0, largest: {} };
  return { ...about, tables, ...over } as never;
}

describe("what a figure depends on", () => {
  const refused = { what: "Nobody is left.", where: "", mend: "" } as never;
  const lines = [line("A", 0.401), line("B", null), line("C", 0.44), line("D", null, { refused, tables: [] })];

  it("is sorted by what moves it; what is gone, and what is refused, come last", () => {
    expect(movedOf(lines, CELL).map((m) => m.line.says)).toEqual(["C", "A", "B", "D"]);
  });

  it("is said in words that the numbers bear", () => {
    expect(saysMoved(movedOf(lines, CELL), CELL)).toBe(
      "Of 2 decisions one moves it by more than 0.3 standard errors; without “C” it would be 44.0 % instead of 40.0 %, a change of 4.0 points.",
    );
    expect(saysMoved(movedOf([line("A", 0.401)], CELL), CELL)).toBe(
      "Of 1 decision none moves it by more than 0.3 standard errors; without “A” it would be 40.1 % instead of 40.0 %, a change of 0.1 points.",
    );
    expect(saysMoved(movedOf([line("B", null)], CELL), CELL)).toContain("makes this figure impossible");
  });
});

describe("combinations of decisions", () => {
  it("take those of one place one at a time", () => {
    const places = ["ledger[3]", "design.weight", "design.weight", "ledger[5]"];
    expect(pathsOf(places.map((place, k) => line(`d${k}`, 0.4, { place } as never)))).toBe(2 * 3 * 2);
    expect(pathsOf([])).toBe(1);
  });

  it("are said with the published figure, its interval and what is gone", () => {
    const cell = { ...(CELL as object), low: 0.37, high: 0.43 } as never;
    const values = [0.4, 0.36, 0.42, null, 0.44];
    const lines = values.map((without, at) => ({
      at,
      of: 5,
      decisions: [],
      refused: null,
      without,
      se: null,
    })) as never[];
    expect(saysCombined(lines, cell)).toBe(
      "Over 4 combinations it is 36.0 to 44.0 %, half of them 39.0 to 42.5 %, 2 inside the published interval; for 1 combination it cannot be calculated. Published: 40.0 %.",
    );
    expect(quantile([1, 2, 4], 0.75)).toBe(3);
  });
});

describe("what carries a figure", () => {
  const unit = {
    name: "",
    records: [1204],
    cases: 1,
    stratum: "North",
    contribution: 0.012,
    in_se: 0.6,
    without: 0.38,
    change: -0.02,
  };
  const strata = [
    { name: "North", units: 3, share: 0.7 },
    { name: "South", units: 3, share: 0.3 },
  ];
  it("is said with the exact figure without it", () => {
    const found = { est: 0.4, se: 0.02, linearised_se: 0.02, cases: [unit], units: [], strata } as never;
    expect(saysInfluence(found, CELL)).toBe(
      "The most influential case, record 1,204, contributes 0.60 standard errors to it: without it the figure would be 38.0 %. 70 % of the variance comes from North.",
    );
  });
});

describe("what a table depends on", () => {
  it("names each figure once, by the decision that moves it most", () => {
    const found = mostMoved([line("A", 0.41), line("B", 0.44), line("C", 0.39)], 5);
    const mine = found.find((f) => f.cell.stub.code === 1);
    expect([mine?.says, found.length]).toEqual(["B", 2]);
  });

  it("has alternatives at every value of an entry", () => {
    const step = { do: "band", variable: "age", cuts: [18, 35], where: "age > 17", why: "as ever" };
    expect(valuesOf(step, "ledger[2]").map((v) => [v.at, v.name, v.value])).toEqual([
      ["ledger[2].cuts[0]", "Cuts 1", 18],
      ["ledger[2].cuts[1]", "Cuts 2", 35],
      ["ledger[2].where", "Condition", "age > 17"],
    ]);
  });

  it("shows a change without a sign where it is printed as nought", () => {
    const tenth = (x: number) => x.toFixed(1);
    expect([signed(0.04, tenth), signed(0.06, tenth), signed(-0.2, tenth)]).toEqual(["0.0", "+0.1", "-0.2"]);
  });
});

describe("tests that turn", () => {
  const of = { stub: { variable: "q", code: 1 }, banner: ["isle"], a: [1], b: [2] };
  const turned = { kind: "columns", of, p: 0.03, p_without: 0.2 } as never;
  const figure = (code: number, isle: number) =>
    ({ stub: { variable: "q", code }, banner: [{ variable: "isle", code: isle }], stat: "col_pct" }) as never;

  it("are letters of a figure where its column is compared", () => {
    expect([figure(1, 1), figure(1, 2), figure(1, 3), figure(2, 1)].map((f) => turnsLetter([turned], f))).toEqual([
      true,
      true,
      false,
      false,
    ]);
  });

  it("are said with both p-values", () => {
    const level = [
      { step: 1, label: "Hask" },
      { step: 2, label: "Orran" },
    ];
    const stub = { variable: "q", title: "Q", shown: [{ step: 1, label: "Agree" }] };
    const result = { stubs: [stub], banners: [{ variables: ["isle"], shown: [level] }] } as never;
    expect(saysTurned(turned, result)).toBe("Agree: Hask and Orran, p = 0.030 → p = 0.200");
    const whole = { kind: "independence", of: { stub: "q", banner: ["isle"] }, p: 0.0001, p_without: 0.5 } as never;
    expect(saysTurned(whole, result)).toBe("Q with isle, p < 0.001 → p = 0.500");
  });
});
