// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import recorded from "./recorded.json";
import { fresh, visit } from "./serving";

fresh();

describe("several questions at once", () => {
  const ticked = async (...names: string[]) => {
    const visited = visit("/study/s1/codebook");
    await visited.user.click(await screen.findByRole("button", { name: "Several at once" }));
    for (const name of names) await visited.user.click(await screen.findByRole("checkbox", { name }));
    return visited;
  };

  it("are left out from here on, in one entry", async () => {
    const { server, user } = await ticked("crosses", "safe");
    await user.click(await screen.findByRole("button", { name: "Drop 2 variables" }));
    await waitFor(() =>
      expect(server.changed?.ledger.at(-1)).toEqual({ do: "discard", variables: ["crosses", "safe"] }),
    );
  });

  it("make one score, with the least answers it wants", async () => {
    const { server, user } = await ticked("crosses", "safe");
    await user.click(await screen.findByRole("button", { name: "Score or count blanks …" }));
    const name = await screen.findByLabelText("Name of the new variable");
    await user.clear(name);
    await user.type(name, "ease");
    await user.selectOptions(screen.getByLabelText("Calculate"), "total");
    const least = screen.getByLabelText("Minimum number of items answered");
    await user.clear(least);
    await user.type(least, "2");
    await waitFor(
      () =>
      expect(server.sent("POST", "/try").at(-1)?.body.step).toMatchObject({
        do: "score", items: ["crosses", "safe"], into: "ease", how: "total", at_least: 2,
      }), // biome-ignore format: a step
    );
  });
});

describe("all cells", () => {
  const grid = async () => {
    const visited = visit("/study/s1/screening/cells");
    const cells = await screen.findByLabelText("Cells of all cases");
    return { ...visited, cells };
  };

  it("are asked for as far as they are in sight, by column and row", async () => {
    const { server, cells } = await grid();
    await waitFor(() => expect(server.sent("POST", "/cells").length).toBeGreaterThan(0));
    const asked = server.sent("POST", "/cells")[0]?.body;
    expect(asked.limit).toBeLessThanOrEqual(400);
    expect(
      cells.getAttribute("aria-rowcount") ?? cells.querySelector("[aria-rowcount]")?.getAttribute("aria-rowcount"),
    ).toBeTruthy();
  });

  it("are those of a condition alone, where one is given", async () => {
    const { server, user } = await grid();
    await user.type(await screen.findByLabelText("Only cases where"), "age > 40{Enter}");
    await waitFor(() => expect(server.sent("POST", "/cells").at(-1)?.body.where).toBe("age > 40"));
    await user.click(await screen.findByRole("button", { name: "All cases" }));
    await waitFor(() => expect(screen.getByLabelText("Only cases where")).toHaveProperty("value", ""));
    expect(screen.queryByRole("button", { name: "All cases" })).toBeNull();
  });
});

describe("disclosure control", () => {
  it("is asked for under a count, for all tables together", async () => {
    const { server, user } = visit("/study/s1/tables");
    await user.click(await screen.findByRole("button", { name: /For all tables/ }));
    const below = await screen.findByLabelText(/suppress counts below/);
    await user.type(below, "5{Enter}");
    await waitFor(() => expect(server.changed?.suppression).toMatchObject({ below: 5 }));
  });

  it("says what was hidden, and what could not be judged", async () => {
    const study = structuredClone(recorded["GET /studies/s1"]) as { document: Record<string, unknown> };
    study.document.suppression = { below: 5 };
    const { user } = visit("/study/s1/tables", {
      "GET /studies/s1": study,
      "GET /studies/s1/disclosure": {
        control: { below: 5, hidden: 10, withheld: 0, unjudged: 0, weights_judged: true },
        seconds: 0.1,
        small: 3,
        protecting: 7,
        dominated: [],
      },
    });
    await user.click(await screen.findByRole("button", { name: /For all tables/ }));
    await waitFor(() => expect(document.body.textContent).toMatch(/3 small groups are suppressed, 7 more to protect/));
  });
});

describe("the Default banner", () => {
  it("gives a question its table by one press, from the codebook", async () => {
    const { server, user, address } = visit("/study/s1/codebook/safe");
    await user.click(await screen.findByRole("button", { name: "Table by the default banner" }));
    await waitFor(() => expect(server.changed?.tables.at(-1).stub).toEqual(["safe"]));
    await waitFor(() => expect(address()).toMatch(/\/tables\//));
  });
});

describe("proposals", () => {
  it("words become codes of a scale by whole answer, with what was meant by the others", async () => {
    const { server, user } = visit("/study/s1/codebook/said", {
      "POST /studies/s1/fit": [
        {
          variable: "said", verdict: "in part", says: "",
          answers: [
            { answer: "late", cases: 30, code: null, proposal: 1, why: "misspelt", like: 90 },
            { answer: "dear", cases: 8, code: null, proposal: null, why: null, like: null },
          ],
        },
      ], // biome-ignore format: an answer
    });
    await user.click(await screen.findByRole("button", { name: "Answer scale …" }));
    await user.selectOptions(await screen.findByLabelText("Scale"), "isles");
    await waitFor(() => expect(server.sent("POST", "/fit").at(-1)?.body.variables).toEqual(["said"]));
    const meaning = await screen.findByLabelText("What “dear” means");
    await user.selectOptions(meaning, within(meaning).getAllByRole("option")[1] as HTMLElement);
    await waitFor(() => expect(JSON.stringify(server.sent("POST", "/try").at(-1)?.body.step)).toContain("dear"));
  });
});
