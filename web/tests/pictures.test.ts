import { describe, expect, it } from "vitest";
import { colourOf, contrast, lettersOn } from "../src/stations/tables/pictures/colours";
import { leftOf, middleOf, type Row, rowsOf, type Share, spanOf, whoGives } from "../src/stations/tables/pictures/data";
import { documentOf, lines } from "../src/stations/tables/pictures/files";
import { keyOf } from "../src/stations/tables/pictures/key";
import { shareScale } from "../src/stations/tables/pictures/share-axis";

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
      cell(
        1,
        [
          ["a", 2],
          ["b", 7],
        ],
        "col_pct",
        1,
      ),
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
  it("have the base of what is drawn, in whatever order figures stand", () => {
    const other = { ...cell(1, [], "total_pct", 0.5), base_n: 7 };
    const rows = rowsOf({ ...result, cells: [other, ...result.cells] } as unknown as Parameters<typeof rowsOf>[0], "q");
    expect(rows[0]?.base).toBe(10);
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

describe("a picture that leaves its page", () => {
  const picture = {
    name: "need",
    svg: '<rect width="3"/>',
    height: 100,
    title: "Fares < 5 & more",
    notes: ["Weighted.", "n ".repeat(400)],
  };

  it("has its title above it and its notes below, each in lines that fit", () => {
    const document = documentOf(picture);
    const texts = [...document.matchAll(/<text x="20" y="(\d+)"[^>]*>([^<]*)</g)].map((m) => [
      Number(m[1]),
      m[2] ?? "",
    ]) as [number, string][];
    expect(texts[0]?.[1]).toBe("Fares &lt; 5 &amp; more");
    expect(texts[1]?.[1]).toBe("Weighted.");
    const top = Number(/translate\(20,(\d+)\)/.exec(document)?.[1]);
    expect(texts[0]?.[0]).toBeLessThan(top);
    expect(texts[1]?.[0]).toBeGreaterThan(top + 100);
    expect(texts.length).toBeGreaterThan(5);
    const high = Number(/height="(\d+)" font-family/.exec(document)?.[1]);
    expect(high).toBeGreaterThan(texts.at(-1)?.[0] ?? 0);
    expect(texts.map(([y]) => y)).toEqual(texts.map(([y]) => y).sort((a, b) => a - b));
    expect(
      texts
        .slice(2)
        .map(([, text]) => text)
        .join(" "),
    ).toBe("n ".repeat(400).trim());
  });

  it("breaks a text between words alone", () => {
    expect(lines("as the crow flies", 8)).toEqual(["as the", "crow", "flies"]);
    expect(lines("unbreakable word", 4)).toEqual(["unbreakable", "word"]);
    expect(lines("", 4)).toEqual([""]);
  });
});

describe("the key of a picture", () => {
  it("is as high as the lines its answers take", () => {
    const answers = (n: number) =>
      Array.from({ length: n }, (_, code) => ({ code, label: "Neither agree nor disagree" }));
    expect(keyOf(answers(2)).height).toBe(keyOf(answers(3)).height);
    expect(keyOf(answers(8)).height).toBeGreaterThan(keyOf(answers(3)).height);
    const { places, height } = keyOf(answers(8));
    for (const { x, y } of places) {
      expect(x).toBeLessThan(840);
      expect(y).toBeLessThan(height);
    }
  });
});

describe("an axis of shares", () => {
  const rows = (...highs: number[]) =>
    [{ shares: highs.map((high, code) => ({ ...share(0.001, code), high })) }] as unknown as Row[];
  it("ends on a whole per cent that no limit passes", () => {
    for (const [highest, end] of [
      [0.401, 0.45],
      [0.4, 0.4],
      [0.073, 0.08],
      [0.2, 0.2],
      [0.002, 0.01],
    ] as const) {
      const { most, x } = shareScale(rows(highest, 0.001));
      expect(most).toBeCloseTo(end, 10);
      expect(x(highest)).toBeLessThanOrEqual(x(most) + 1e-9);
    }
  });
});

describe("letters on a bar", () => {
  it("are read on every answer of a scale, however long", () => {
    for (let n = 1; n <= 11; n++) {
      for (const middle of [null, (n - 1) / 2]) {
        for (let i = 0; i < n; i++) {
          const colour = colourOf(i, n, middle);
          expect(contrast(lettersOn(colour), colour)).toBeGreaterThan(4);
        }
      }
    }
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
