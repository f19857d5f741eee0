import { expect, test } from "vitest";
import { type Asked, withAsked } from "../src/api/asked";
import type { Schema } from "../src/api/client";

const saved = { title: "A study", where: null, tables: [] } as unknown as Schema["Study"];
const more = (id: string): Asked => ({
  made: (document) => ({ tables: [...(document.tables ?? []), { id } as NonNullable<Schema["Study"]["tables"]>[0]] }),
});

test("changes that were asked for build on one another, in their order", () => {
  const shown = withAsked(saved, [more("a"), { made: { where: "age > 17" } }, more("b"), { made: { where: null } }]);
  expect(shown.tables?.map((t) => t.id)).toEqual(["a", "b"]);
  expect(shown.where).toBeNull();
  expect(shown.title).toBe("A study");
});

test("what is saved stays as it is, and is shown itself where nothing was asked for", () => {
  withAsked(saved, [more("a")]);
  expect(saved.tables).toEqual([]);
  expect(withAsked(saved, [])).toBe(saved);
});
