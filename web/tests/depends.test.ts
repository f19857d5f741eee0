import { describe, expect, it } from "vitest";
import type { DependenceLine } from "../src/api/depends";
import { movedOf, saysMoved } from "../src/stations/tables/depends/words";

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
      "Of 2 decisions one moves it by more than 0.3 standard errors; without “C” it would be 44.0 % in place of 40.0 %, a change of 4.0 points.",
    );
    expect(saysMoved(movedOf([line("A", 0.401)], CELL), CELL)).toBe(
      "Of 1 decision none moves it by more than 0.3 standard errors; without “A” it would be 40.1 % in place of 40.0 %, a change of 0.1 points.",
    );
    expect(saysMoved(movedOf([line("B", null)], CELL), CELL)).toContain("Nothing remains");
  });
});
