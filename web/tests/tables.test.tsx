// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import recorded from "./recorded.json";
import { fresh, Refused, visit } from "./serving";

fresh();

const T1 = "/study/s1/tables/t1";
const view = recorded["GET /studies/s1/tables/t1"];
const fold = async (user: ReturnType<typeof visit>["user"], title: string) =>
  user.click((await screen.findAllByText(title))[0] as HTMLElement);

describe("a table in hand", () => {
  it("shows its figures, letters and marks, and the notes beneath", async () => {
    visit(T1);
    const row = (await screen.findByText("At times")).closest("tr");
    expect(row).toBeTruthy();
    const never = view.result.cells.find((c) => c.stat === "col_pct" && c.stub.code === 1 && c.banner.length === 0);
    expect(document.body.textContent).toContain((100 * (never?.est ?? 0)).toFixed(1));
    for (const note of view.grid.notes.slice(0, 2)) expect(screen.getByText(note)).toBeTruthy();
  });

  it("shows and hides what stands beside each figure, by button and by key", async () => {
    const { server, user } = visit(T1);
    await user.click(await screen.findByRole("button", { name: "✓ standard errors" }));
    await waitFor(() => expect(server.changed?.tables[0].beside).toEqual(["interval"]));
    await user.keyboard("e");
    await waitFor(() => expect(server.changed.tables[0].beside).toEqual(["se", "interval"]));
    await user.click(await screen.findByRole("button", { name: "Show design effects" }));
    await waitFor(() => expect(server.changed.tables[0].beside).toEqual(["se", "interval", "deff"]));
    expect(server.changed.tables[1].id).toBe("t2");
  });

  it("says what is behind a figure: its bases, its uncertainty, the other column", async () => {
    const { user } = visit(T1);
    const mean = view.result.cells.find((c) => c.stat === "mean" && c.stub.variable === "age" && c.banner.length === 1);
    const printed = (mean?.est ?? 0).toFixed(2);
    const cell = (await screen.findAllByText(new RegExp(`^${printed}`)))[0] as HTMLElement;
    await user.click(cell);
    const behind = await screen.findByRole("button", { name: /cases/i });
    expect(behind).toBeTruthy();
    expect(screen.getByText(/Difference from the other column/)).toBeTruthy();
  });

  it("stands as it was, and says so, while new figures cannot be counted", async () => {
    let refuses = false;
    const { user } = visit(T1, {
      "GET /studies/s1/tables/t1": () =>
        refuses
          ? new Refused(422, [{ what: "There is no variable 'q9'.", where: "tables[0].stub[0]", mend: "" }])
          : view,
    });
    await screen.findByText("At times");
    refuses = true;
    await user.click(screen.getByRole("button", { name: "✓ intervals" }));
    expect(await screen.findByText(/Out of date: these figures are from before/)).toBeTruthy();
    expect(screen.getByText("At times")).toBeTruthy();
    expect(screen.getByText(/There is no variable 'q9'/)).toBeTruthy();
    refuses = false;
    await user.click(screen.getByRole("button", { name: "Count again" }));
    await waitFor(() => expect(screen.queryByText(/Out of date/)).toBeNull());
  });

  it("turns into a picture and back by one key", async () => {
    const { user } = visit(T1);
    await screen.findByText("At times");
    await user.keyboard("p");
    expect(await screen.findByRole("region", { name: "Charts" })).toBeTruthy();
    await user.keyboard("p");
    await waitFor(() => expect(screen.queryByRole("region", { name: "Charts" })).toBeNull());
  });
});

describe("what a table asks for", () => {
  it("takes a question by a part of its text, and takes it out again", async () => {
    const { server, user } = visit(T1);
    const stub = await screen.findByRole("combobox", { name: /Stub/ });
    await user.type(stub, "feel safe{Enter}");
    await waitFor(() => expect(server.changed?.tables[0].stub).toEqual(["crosses", "age", "safe"]));
    await user.click(screen.getByRole("button", { name: "Stub (down): without age" }));
    await waitFor(() => expect(server.changed.tables[0].stub).toEqual(["crosses", "safe"]));
  });

  it("nests one banner variable in another", async () => {
    const { server, user } = visit(T1);
    await user.click(await screen.findByRole("button", { name: /Banner \(across\): nest another within isle/ }));
    await user.keyboard("crosses{Enter}");
    await waitFor(() => expect(server.changed?.tables[0].banner).toEqual([["isle", "crosses"]]));
  });

  it("has its nets by name and answers, and loses them", async () => {
    const { server, user } = visit(T1);
    await fold(user, "Figures");
    await user.click(await screen.findByRole("button", { name: "Remove the net At all" }));
    await waitFor(() => expect(server.changed?.tables[0].nets).toEqual([]));
    await user.type(screen.getByLabelText("Name of the net"), "Seldom");
    await user.selectOptions(screen.getByLabelText("Categories of the net"), "bottom 2");
    await user.click(screen.getByRole("button", { name: "Add this net" }));
    await waitFor(() => expect(server.changed.tables[0].nets).toEqual([{ label: "Seldom", bottom: 2 }]));
  });

  it("offers every figure of the vocabulary, and takes one off", async () => {
    const { server, user } = visit(T1);
    await fold(user, "Figures");
    const row = await screen.findByLabelText(/^row %/i);
    await user.click(row);
    await waitFor(() => expect(server.changed?.tables[0].show).toContain("row_pct"));
    await user.click(screen.getByLabelText(/^mean$/i));
    await waitFor(() => expect(server.changed.tables[0].show).not.toContain("mean"));
  });
});

describe("the plan", () => {
  it("lists tables with their stubs, makes a copy and takes one out", async () => {
    const { server, user } = visit(T1);
    expect(await screen.findByText("crosses, age by isle")).toBeTruthy();
    await user.click(await screen.findByRole("button", { name: "Duplicate this table" }));
    await waitFor(() => expect(server.changed?.tables).toHaveLength(3));
    const ids = server.changed.tables.map((t: { id: string }) => t.id);
    expect(new Set(ids).size).toBe(3);
    await user.click(await screen.findByRole("button", { name: "Remove this table from the plan" }));
    await waitFor(() => expect(server.changed.tables).toHaveLength(2));
  });

  it("takes a new title when its field is left", async () => {
    const { server, user } = visit(T1);
    const title = await screen.findByLabelText("Title of the table");
    await user.clear(title);
    await user.type(title, "Who crosses{Enter}");
    await waitFor(() => expect(server.changed?.tables[0].title).toBe("Who crosses"));
  });

  it("says what to do where there is no table yet", async () => {
    const study = structuredClone(recorded["GET /studies/s1"]);
    study.document.tables = [];
    const { server, user } = visit("/study/s1/tables", { "GET /studies/s1": study });
    expect((await screen.findAllByRole("button", { name: /New table/ })).length).toBeGreaterThan(0);
    await user.click((await screen.findAllByRole("button", { name: /New table/ }))[0] as HTMLElement);
    await waitFor(() => expect(server.changed?.tables).toHaveLength(1));
  });
});

describe("a battery", () => {
  it("has its items down and the scale's answers across", async () => {
    visit("/study/s1/tables/t2");
    const heading = await screen.findByRole("columnheader", { name: /Weekly/ });
    const table = heading.closest("table") as HTMLElement;
    expect(within(table).getByText(/feel safe/)).toBeTruthy();
    expect(within(table).getByText(/cross/)).toBeTruthy();
  });
});
