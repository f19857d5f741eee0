import { expect, test } from "vitest";
import type { Schema } from "../src/api/client";
import { figuresOfView, saysBefore } from "../src/stations/tables/pinned";

type Grid = NonNullable<Schema["TableView"]["grid"]>;

const line = (values: (number | null)[], letters: (string | null)[] | null = null) =>
  ({
    code: 1,
    net: null,
    stat: "col_pct",
    kind: "estimate",
    shape: "share",
    strong: true,
    values,
    letters,
  }) as Schema["Line"];
const grid = (of: Schema["Line"]): Grid =>
  ({
    columns: 2,
    paths: [[], [{ variable: "sex", code: 1 }]],
    sections: [{ variable: "q", lines: [of], bases: [] }],
  }) as unknown as Grid;

test("what changed since a table was pinned is said, and nothing else", () => {
  const pinned = [...figuresOfView({ grid: grid(line([0.5, 0.25], [null, "A"])) }).values()];
  expect(pinned).toHaveLength(2);
  expect(saysBefore(pinned[0], line([0.5001, null]), 0)).toBeNull();
  expect(saysBefore(pinned[0], line([0.512, null]), 0)).toBe("was 50.0 (+1.2)");
  expect(saysBefore(pinned[1], line([0.5, 0.2], [null, "A"]), 1)).toBe("was 25.0 (−5.0)");
  expect(saysBefore(pinned[1], line([0.5, 0.25]), 1)).toBe("was 25.0 A");
  expect(saysBefore(pinned[0], line([0.5, 0.25], ["B", null]), 0)).toBe("was 50.0 no letters");
  expect(saysBefore(undefined, line([0.5]), 0)).toBeNull();
});
