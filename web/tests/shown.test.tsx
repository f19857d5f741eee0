// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { fresh, visit } from "./serving";

fresh();

const T1 = "/study/s1/tables/t1";
const display = (server: ReturnType<typeof visit>["server"]) => server.changed?.tables[0].display;

describe("rows and columns as they are shown", () => {
  const unfolded = async () => {
    const visited = visit(T1);
    await visited.user.click((await screen.findAllByText("Rows and columns"))[0] as HTMLElement);
    return visited;
  };

  it("are called otherwise in this table alone", async () => {
    const { server, user } = await unfolded();
    const name = (await screen.findAllByLabelText("What Weekly is called"))[0] as HTMLElement;
    await user.clear(name);
    await user.type(name, "Every week{Enter}");
    await waitFor(() => expect(JSON.stringify(display(server))).toContain("Every week"));
    expect(server.changed.codebook).toBeUndefined();
  });

  it("are hidden by their tick, and come back with one press", async () => {
    const { server, user } = await unfolded();
    await user.click((await screen.findAllByLabelText("show Never"))[0] as HTMLElement);
    await waitFor(() => expect(JSON.stringify(display(server))).toContain('"hide":true'));
    await user.click(await screen.findByRole("button", { name: "Reset rows and columns" }));
    await waitFor(() => expect(display(server)).toEqual({}));
  });

  it("move further up", async () => {
    const { server, user } = await unfolded();
    await user.click((await screen.findAllByRole("button", { name: "At times further up" }))[0] as HTMLElement);
    await waitFor(() => {
      const variable = display(server)?.variables.find((v: { variable: string }) => v.variable === "crosses");
      expect(variable.categories.slice(0, 2).map((c: { code: number }) => c.code)).toEqual([2, 1]);
    });
  });

  it("stand without the total column", async () => {
    const { server, user } = await unfolded();
    await user.click(await screen.findByLabelText("total column"));
    await waitFor(() => expect(display(server)?.total_column).toBe(false));
  });
});

describe("a heading that sorts", () => {
  it("sorts by its column: largest first, smallest first, then as it was", async () => {
    const { server, user } = visit(T1);
    const heading = () => screen.findByRole("button", { name: /^Hask/ });
    await user.click(await heading());
    await waitFor(() => expect(display(server)?.rows).toMatchObject({ at: { isle: 1 }, ascending: false }));
    await user.click(await heading());
    await waitFor(() => expect(display(server)?.rows).toMatchObject({ ascending: true }));
    await user.click(await heading());
    await waitFor(() => expect(display(server)?.rows ?? null).toBeNull());
  });
});

describe("several tables at once", () => {
  it("are a table for each question, by one banner, under one heading", async () => {
    const { server, user } = visit(T1);
    await user.click(await screen.findByRole("button", { name: /Several at once/ }));
    await user.click(await screen.findByRole("button", { name: "+ every coded question" }));
    await user.type(await screen.findByRole("combobox", { name: /By this banner/ }), "isle{Enter}");
    await user.type(screen.getByLabelText("Under the heading"), "Crossing");
    await user.click(await screen.findByRole("button", { name: /^Add \d+ tables?$/ }));
    await waitFor(() => expect(server.changed?.tables.length).toBeGreaterThan(3));
    const made = server.changed.tables.slice(2);
    for (const table of made) expect(table).toMatchObject({ group: "Crossing" });
    expect(made.some((t: { banner: string[] }) => t.banner?.includes("isle"))).toBe(true);
    const ids = server.changed.tables.map((t: { id: string }) => t.id);
    expect(new Set(ids).size).toBe(ids.length);
  });

  it("cannot be added before a question is chosen", async () => {
    const { user } = visit(T1);
    await user.click(await screen.findByRole("button", { name: /Several at once/ }));
    expect(await screen.findByRole("button", { name: "Add tables" })).toHaveProperty("disabled", true);
  });
});

describe("the heading of the plan", () => {
  it("is put on a table, and tables change their places", async () => {
    const { server, user } = visit(T1);
    await user.type(await screen.findByLabelText("Group in the plan"), "Ferries{Enter}");
    await waitFor(() => expect(server.changed?.tables[0].group).toBe("Ferries"));
    expect(server.changed.tables[1].group ?? null).toBeNull();
  });

  it("moves a table further down", async () => {
    const { server, user } = visit(T1);
    await user.click(await screen.findByRole("button", { name: "Further down in the plan" }));
    await waitFor(() => expect(server.changed?.tables.map((t: { id: string }) => t.id)).toEqual(["t2", "t1"]));
  });
});

describe("a filter", () => {
  it("says how many it lets through while it is typed, and is taken when it is left", async () => {
    const { server, user } = visit(T1);
    const filter = await screen.findByLabelText("Filter");
    await user.type(filter, "age > 40");
    expect(await screen.findByText(/\d+ of \d+ cases/)).toBeTruthy();
    expect(server.sent("PATCH")).toHaveLength(0);
    await user.keyboard("{Enter}");
    await waitFor(() => expect(server.changed?.tables[0].where).toBe("age > 40"));
  });

  it("that is wrong says where, and offers what may be meant", async () => {
    const fault = {
      what: "There is no variable 'aeg'.",
      where: "",
      mend: "Did you mean age?",
      at: 0,
      of: "aeg > 4",
      kind: "",
      write: "",
    };
    const { user } = visit(T1, { "POST /studies/s1/condition": { cases: null, of: 38, faults: [fault] } });
    await user.type(await screen.findByLabelText("Filter"), "aeg > 4");
    expect((await screen.findAllByText(/Did you mean age\?/)).length).toBeGreaterThan(0);
  });
});
