import { QueryClient } from "@tanstack/react-query";
import { expect, test, vi } from "vitest";
import { type Asked, editionFor, noteOwn, withAsked } from "../src/api/asked";
import { api, type Schema, type StudyView } from "../src/api/client";
import { studyQuery } from "../src/api/queries";

const saved = { title: "A study", where: null, tables: [] } as unknown as Schema["Study"];
const more = (id: string): Asked => ({
  edition: 1,
  made: (document) => ({ tables: [...(document.tables ?? []), { id } as NonNullable<Schema["Study"]["tables"]>[0]] }),
});

test("changes that were asked for build on one another, in their order", () => {
  const shown = withAsked(saved, [
    more("a"),
    { edition: 1, made: { where: "age > 17" } },
    more("b"),
    { edition: 1, made: { where: null } },
  ]);
  expect(shown.tables?.map((t) => t.id)).toEqual(["a", "b"]);
  expect(shown.where).toBeNull();
  expect(shown.title).toBe("A study");
});

test("what is saved stays as it is, and is shown itself where nothing was asked for", () => {
  withAsked(saved, [more("a")]);
  expect(saved.tables).toEqual([]);
  expect(withAsked(saved, [])).toBe(saved);
});

test("an answer from before a change does not take the place of the saved change", async () => {
  const client = new QueryClient();
  const { queryKey } = studyQuery("s");
  const asking = vi.spyOn(api, "GET");
  const answers = (edition: number, meanwhile = () => {}) =>
    asking.mockImplementationOnce((async () => {
      await Promise.resolve();
      meanwhile();
      return { data: { edition }, response: Response.json({}) };
    }) as unknown as typeof api.GET);
  answers(4, () => client.setQueryData(queryKey, { edition: 5 } as StudyView));
  await client.fetchQuery(studyQuery("s"));
  expect(client.getQueryData(queryKey)?.edition).toBe(5);
  answers(6);
  await client.fetchQuery(studyQuery("s"));
  expect(client.getQueryData(queryKey)?.edition).toBe(6);
  asking.mockRestore();
});

test("whole parts are sent for the edition they were made of where somebody else changed the study since", () => {
  const parts: Asked = { edition: 3, made: { where: "age > 17" } };
  expect(editionFor("s", parts, 3)).toBe(3);
  noteOwn("s", 4);
  noteOwn("s", 5);
  expect(editionFor("s", parts, 5)).toBe(5);
  expect(editionFor("s", parts, 6)).toBe(3);
  expect(editionFor("another", parts, 5)).toBe(3);
  // What says how it comes from a state is made of the newest, whoever made that.
  expect(editionFor("s", { ...more("a"), edition: 3 }, 6)).toBe(6);
});
