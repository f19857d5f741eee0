import { describe, expect, it } from "vitest";
import type { Schema } from "../src/api/client";
import { decimalsByColumn, grouped, lacking, printed, saysBeside } from "../src/stations/tables/figure-lines";

type Line = Schema["Line"];

const line = (
  figure: string,
  shape: Line["shape"],
  values: (number | null)[],
  strong = false,
  kind: Line["kind"] = "estimate",
): Line =>
  ({
    category: "",
    kind,
    figure,
    shape,
    values,
    strong,
    stat: "col_pct",
    marks: null,
    letters: null,
  }) as unknown as Line;

describe("figures of a column", () => {
  const lines = [
    line("Cases", "whole", [1204, 8], true),
    line("Column %", "share", [0.2343, null], true),
    line("Mean", "number", [3.661, null], true),
    line("Standard error", "number", [0.02, null]),
  ];

  it("leave room for the decimals of the others, so that their points stand in a line", () => {
    const most = decimalsByColumn(lines, 2);
    expect(most).toEqual([2, 0]);
    const laid = lines
      .filter((l) => l.strong)
      .map((l) => printed(l.values[0], l.shape) + lacking(l.shape, most[0] ?? 0));
    expect(laid).toEqual(["1,204.00", "23.40", "3.66"]);
    expect(new Set(laid.map((text) => text.length - text.indexOf(".")))).toEqual(new Set([3]));
    expect(lacking("share", 1)).toBe("");
    expect(lacking("whole", 1)).toBe(".0");
  });

  it("stand with what lies beside them", () => {
    const own = [
      line("Column %", "share", [0.5], true),
      line("Standard error", "share", [0.0123], false, "se"),
      line("95 % from", "share", [0.25], false, "low"),
      line("95 % to", "share", [null], false, "high"),
      line("Design effect", "number", [1.234], false, "deff"),
    ];
    const [group] = grouped([...own, line("Mean", "number", [3], true)]);
    expect(group?.beside).toHaveLength(4);
    expect(saysBeside(group?.beside ?? [], 0)).toEqual(["(1.2)", "25.0 to –", "deff 1.23"]);
    expect(grouped([...own, line("Mean", "number", [3], true)])).toHaveLength(2);
  });
});
