import { describe, expect, it } from "vitest";
import { leftOf, middleOf, rowsOf, type Share, spanOf, whoGives } from "../src/stations/tables/picture-data";

const share = (est: number, code: number): Share => ({ code, label: "", est });

describe("diverging bars", () => {
  it("begin at what lies below the midpoint and half of what lies on it", () => {
    const shares = [0.1, 0.2, 0.3, 0.25, 0.15].map((x, k) => share(x, k + 1));
    expect(leftOf(shares, shares, 2)).toBeCloseTo(0.45);
    expect(leftOf(shares, shares, middleOf([1, 2, 3, 4, 5], 3))).toBeCloseTo(0.45);
  });
  it("of an even scale are divided between its halves", () => {
    const shares = [0.1, 0.2, 0.3, 0.4].map((x, k) => share(x, k + 1));
    expect(middleOf([1, 2, 3, 4], null)).toBe(1.5);
    expect(leftOf(shares, shares, 1.5)).toBeCloseTo(0.3);
  });
  it("keep their middle where an answer is hidden", () => {
    const answers = [1, 2, 3].map((code) => share(0, code));
    expect(leftOf([share(0.5, 2), share(0.3, 3)], answers, 1)).toBeCloseTo(0.25);
  });
  it("follow a midpoint that is not in the middle", () => {
    expect(middleOf([1, 2, 3, 4, 5], 4)).toBe(3);
    expect(middleOf([1, 2, 3], 9)).toBe(1);
  });
});

describe("rows of a picture", () => {
  const category = (code: number, label: string) => ({ code, label, in_codebook: true });
  const cell = (code: number | null, path: [string, number][], stat: string, est: number) => ({
    stub: { variable: "q", code },
    banner: path.map(([variable, at]) => ({ variable, code: at })),
    stat,
    est,
    base_n: 10,
  });
  const result = {
    id: "t",
    title: "t",
    in_filter: 20,
    tests: [],
    stubs: [{ variable: "q", title: "Q", kind: "coded", categories: [category(1, "Yes"), category(2, "No")] }],
    banners: [
      {
        variables: ["a", "b"],
        titles: ["A", "B"],
        categories: [[category(1, "a1"), category(2, "a2")], [category(7, "b7")]],
      },
    ],
    cells: [
      cell(1, [], "col_pct", 0.6),
      cell(2, [], "col_pct", 0.4),
      cell(1, [["a", 2], ["b", 7]], "col_pct", 1),
      cell(null, [], "mean", 1.4),
    ],
  };
  it("are everybody, then every column of every nest, each with its own answers", () => {
    const rows = rowsOf(result, "q");
    expect(rows.map((r) => [r.group, r.label])).toEqual([
      ["", "All"],
      ["A › B", "a1, b7"],
      ["A › B", "a2, b7"],
    ]);
    expect(rows.map((r) => r.shares.map((s) => [s.label, s.est]))).toEqual([
      [
        ["Yes", 0.6],
        ["No", 0.4],
      ],
      [],
      [["Yes", 1]],
    ]);
    expect(rows[0]?.mean?.est).toBe(1.4);
    expect(rowsOf(result, "nobody")).toEqual([]);
  });
});

describe("who gives each answer", () => {
  const category = (code: number, label: string) => ({ code, label, in_codebook: true });
  const cell = (code: number, at: { code?: number; net?: string }, est: number) => ({
    stub: { variable: "q", code },
    banner: [{ variable: "a", ...at }],
    stat: "row_pct",
    est,
    base_n: 40,
  });
  it("is a row for each answer, made of the columns, nets left out", () => {
    const made = whoGives(
      {
        id: "t",
        title: "t",
        in_filter: 90,
        tests: [],
        stubs: [{ variable: "q", title: "Q", kind: "coded", categories: [category(1, "Yes"), category(2, "No")] }],
        banners: [
          {
            variables: ["a"],
            titles: ["A"],
            categories: [[category(1, "a1"), category(2, "a2")]],
            shown: [
              [
                { step: 2, label: "second" },
                { step: "both", label: "both" },
                { step: 1, label: "a1" },
              ],
            ],
          },
        ],
        cells: [cell(1, { code: 1 }, 0.3), cell(1, { code: 2 }, 0.7), cell(1, { net: "both" }, 1)],
      },
      "q",
      0,
    );
    expect(made.columns.map((c) => c.label)).toEqual(["second", "a1"]);
    expect(made.rows).toHaveLength(1);
    expect(made.rows[0]?.shares.map((s) => [s.label, s.est])).toEqual([
      ["second", 0.7],
      ["a1", 0.3],
    ]);
    expect(made.rows[0]?.base).toBe(40);
  });
});

describe("the span of an axis", () => {
  it("holds its figures and ends on round numbers", () => {
    const [low, high] = spanOf([3.07, 3.98]);
    expect(low).toBeLessThan(3.07);
    expect(high).toBeGreaterThan(3.98);
    expect(low).toBeCloseTo(3);
    expect(spanOf([5, 5])[1]).toBeGreaterThan(5);
  });
});
