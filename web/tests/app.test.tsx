// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import recorded from "./recorded.json";
import { fresh, Refused, visit } from "./serving";

fresh();

describe("the line of stations", () => {
  it("says how far the study gets, and goes where it is pressed or by number", async () => {
    const { user, address } = visit("/study/s1/codebook");
    const nav = await screen.findByRole("navigation", { name: "Stations" });
    const { stations } = recorded["GET /studies/s1"];
    for (const { says } of stations) expect(within(nav).getByText(says)).toBeTruthy();
    await user.keyboard("4");
    await waitFor(() => expect(address()).toBe("/study/s1/weighting"));
    await user.click(within(nav).getByText("Tables"));
    await waitFor(() => expect(address()).toBe("/study/s1/tables"));
  });

  it("an address that names no station is said to be none", async () => {
    visit("/study/s1/nowhere");
    expect(await screen.findByRole("link", { name: /Back to the studies/ })).toBeTruthy();
  });
});

describe("the tally", () => {
  it("says in numbers where the study stands", async () => {
    visit("/study/s1/codebook");
    const tally = await screen.findByLabelText("Tally");
    const { received, set_aside, in_use } = recorded["GET /studies/s1"].tally;
    expect(tally.textContent).toContain(`${received} received`);
    expect(tally.textContent).toContain(`${set_aside} set aside`);
    expect(tally.textContent).toContain(`${in_use} in use`);
  });
});

describe("the title and undo", () => {
  it("a new title is saved when its field is left; an empty one is put back", async () => {
    const { server, user } = visit("/study/s1/codebook");
    const title = await screen.findByLabelText("Title of the study");
    await user.clear(title);
    await user.tab();
    expect(title).toHaveProperty("value", "Ferries");
    await user.clear(title);
    await user.type(title, "Ferries of Veldry{Enter}");
    await waitFor(() => expect(server.changed).toEqual({ title: "Ferries of Veldry" }));
  });

  it("undo is sent with the edition there is", async () => {
    const study = { ...recorded["GET /studies/s1"], undo: "a title" };
    const { server, user } = visit("/study/s1/codebook", { "GET /studies/s1": study, "POST /studies/s1/undo": study });
    await user.click(await screen.findByRole("button", { name: "Undo: a title" }));
    await waitFor(() => expect(server.sent("POST", "/undo")[0]?.body).toEqual({ edition: study.edition }));
  });
});

describe("the ledger", () => {
  const OPEN = "/study/s1/codebook?ledger=true";

  it("reads as sentences with their effect, and unrolls from the tally", async () => {
    const { user } = visit("/study/s1/codebook");
    await user.click(await screen.findByRole("button", { name: /Ledger, 2 entries/ }));
    const ledger = await screen.findByRole("region", { name: "Ledger" });
    const [first] = recorded["GET /studies/s1/ledger"];
    expect(await within(ledger).findByText(new RegExp((first?.sentence ?? "").replace(/[.>]/g, ".")))).toBeTruthy();
    expect(within(ledger).getByText(/2 cases set aside, 38 left/)).toBeTruthy();
    expect(within(ledger).getByText(/^switched off/)).toBeTruthy();
  });

  it("switches entries off and on, and moves and takes them out", async () => {
    const { server, user } = visit(OPEN);
    await user.click(await screen.findByRole("button", { name: /^Switch off entry 1/ }));
    await waitFor(() => expect(server.changed?.ledger[0].off).toBe(true));
    await waitFor(() =>
      expect(screen.getByRole("button", { name: /^Move entry 2 up/ })).toHaveProperty("disabled", false),
    );
    await user.click(screen.getByRole("button", { name: /^Move entry 2 up/ }));
    await waitFor(() =>
      expect(server.changed.ledger.map((s: { do: string }) => s.do)).toEqual(["derive", "drop_cases"]),
    );
  });

  it("takes a reason for an entry", async () => {
    const { server, user } = visit(OPEN);
    await user.click(await screen.findByRole("button", { name: "change" }));
    const why = await screen.findByLabelText("Why entry 1");
    await user.clear(why);
    await user.type(why, "nobody is that old{Enter}");
    await waitFor(() => expect(server.changed?.ledger[0].why).toBe("nobody is that old"));
    expect(server.changed.ledger[1]).toMatchObject({ do: "derive", off: true });
  });

  it("opens an entry to its before and after", async () => {
    const { server, user } = visit(OPEN);
    await user.click(await screen.findByRole("button", { name: "Before and after of entry 1" }));
    expect(await screen.findByRole("link", { name: /Look at the 2 cases set aside/ })).toBeTruthy();
    expect(server.sent("GET", "/ledger/1")).toHaveLength(1);
    expect(screen.getByRole("button", { name: "Before and after of entry 2" })).toHaveProperty("disabled", true);
  });

  it("changes an entry in place, tried where it stands", async () => {
    const { server, user } = visit(OPEN, {
      "POST /studies/s1/try": { ...recorded["POST /studies/s1/try"], faults: [] },
    });
    await user.click(await screen.findByRole("button", { name: /^Change entry 1/ }));
    const field = await screen.findByLabelText("Where");
    await user.clear(field);
    await user.type(field, "age > 80");
    await waitFor(() =>
      expect(server.sent("POST", "/try").at(-1)?.body).toMatchObject({ step: { where: "age > 80" }, instead_of: 1 }),
    );
    const keep = await screen.findByRole("button", { name: "Keep entry 1 like this" });
    await waitFor(() => expect(keep).toHaveProperty("disabled", false));
    await user.click(keep);
    await waitFor(() => expect(server.changed?.ledger[0]).toMatchObject({ do: "drop_cases", where: "age > 80" }));
  });
});

describe("the palette", () => {
  it("finds an action by what it does, and does it", async () => {
    const { user, address } = visit("/study/s1/codebook");
    await screen.findByRole("navigation", { name: "Stations" });
    await user.keyboard("{Control>}k{/Control}");
    const palette = await screen.findByRole("dialog", { name: "Do something" });
    await user.type(within(palette).getByRole("combobox"), "go to rel{Enter}");
    await waitFor(() => expect(address()).toBe("/study/s1/release"));
  });
});

describe("help", () => {
  it("lists keys with what they do", async () => {
    const { user } = visit("/study/s1/tables");
    await screen.findByRole("navigation", { name: "Stations" });
    await user.keyboard("?");
    expect(await screen.findByText("Enable single-key shortcuts (without Ctrl)")).toBeTruthy();
    expect(screen.getByLabelText(/^Key for Go to Tables/)).toBeTruthy();
    await user.keyboard("{Escape}");
    await waitFor(() => expect(screen.queryByLabelText(/^Key for Go to Tables/)).toBeNull());
  });
});

describe("a server that cannot be reached", () => {
  it("has the change wait on the page, which says so, and saves it once it answers", async () => {
    let gone = true;
    const { server, user } = visit("/study/s1/codebook", {
      "PATCH /studies/s1": () => {
        if (gone) return new Refused(503, [{ what: "The database is being started again.", where: "", mend: "" }]);
        return { ...recorded["GET /studies/s1"], title: "Later", edition: 99 };
      },
    });
    const title = await screen.findByLabelText("Title of the study");
    await user.clear(title);
    await user.type(title, "Later{Enter}");
    expect(await screen.findByText(/does not answer|started again/)).toBeTruthy();
    gone = false;
    await waitFor(() => expect(server.sent("PATCH").length).toBeGreaterThan(1), { timeout: 4000 });
    await waitFor(() => expect(screen.queryByText(/does not answer|started again/)).toBeNull());
    expect(screen.getByLabelText("Title of the study")).toHaveProperty("value", "Later");
  });

  it("is said in place of the page where nothing was fetched yet", async () => {
    visit("/", { "GET /studies": new Refused(500, [{ what: "Something broke.", where: "", mend: "" }]) });
    expect(await screen.findByText(/Something broke\./)).toBeTruthy();
  });
});

describe("the list of studies", () => {
  it("opens a study, copies it, and deletes it with a way back", async () => {
    const { server, user } = visit("/", {
      "DELETE /studies/s1": null,
      "POST /studies/s1/restore": null,
      "POST /studies/s1/copy": { id: "s2" },
    });
    expect(await screen.findByText("Ferries")).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Delete Ferries" }));
    await waitFor(() => expect(server.sent("DELETE")).toHaveLength(1));
    await user.click(await screen.findByRole("button", { name: "Restore it" }));
    await waitFor(() => expect(server.sent("POST", "/restore")).toHaveLength(1));
  });
});
