// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import recorded from "./recorded.json";
import { fresh, Refused, visit } from "./serving";

fresh();

const MARGIN = "/study/s1/weighting/margin-0";
const reports = recorded["GET /studies/s1/weightings"];

describe("a margin in hand", () => {
  it("shows sample, target and weighted share side by side, and what targets sum to", async () => {
    visit(MARGIN);
    const row = (await screen.findByRole("cell", { name: "Hask" })).closest("tr") as HTMLElement;
    expect(within(row).getByLabelText("Target of Hask")).toHaveProperty("value", "0.6");
    const hask = reports.reports[0]?.margins[0]?.rows.find((r) => r.label === "Hask");
    const { before, after, n } = hask as { before: number; after: number; n: number };
    expect(row.textContent).toContain((100 * before).toFixed(1));
    expect(row.textContent).toContain((100 * after).toFixed(1));
    expect(row.textContent).toContain(String(n));
    expect(screen.getByRole("cell", { name: "1.0000" })).toBeTruthy();
  });

  it("takes a target when its field is left, and says at once what is short of the total", async () => {
    const { server, user } = visit(MARGIN);
    const field = await screen.findByLabelText("Target of Orran");
    await user.clear(field);
    await user.type(field, "0.3{Enter}");
    await waitFor(() =>
      expect(server.changed?.weightings[0].margins[0].targets).toContainEqual({ at: { isle: 2 }, value: 0.3 }),
    );
    expect(server.changed.weightings[0].margins[0].targets).toContainEqual({ at: { isle: 1 }, value: 0.6 });
    expect(await screen.findByText(/0\.1000 short of the total/)).toBeTruthy();
  });

  it("loses a target whose field is emptied", async () => {
    const { server, user } = visit(MARGIN);
    const field = await screen.findByLabelText("Target of Hask");
    await user.clear(field);
    await user.tab();
    await waitFor(() =>
      expect(server.changed?.weightings[0].margins[0].targets).toEqual([{ at: { isle: 2 }, value: 0.4 }]),
    );
  });

  it("says what those without a value stop, and holds their share at a press", async () => {
    const fault = {
      what: "1 case has no value on isle.", where: "weightings[0].margins[0]", mend: "Fill it in.",
      at: null, of: "", kind: "unknown_on_margin", write: '"unknown": "hold"',
    }; // biome-ignore format: as the API says it
    const { server, user } = visit(MARGIN, {
      "GET /studies/s1/weightings": { reports: [null], faults: [fault] },
    });
    expect((await screen.findByRole("alert")).textContent).toContain("1 case has no value on isle. Fill it in.");
    expect(document.body.textContent).not.toContain('"unknown"');
    await user.click(screen.getByRole("button", { name: "Keep their share as it is" }));
    await waitFor(() => expect(server.changed?.weightings[0].margins[0].unknown).toBe("hold"));
  });

  it("is taken out by its button, and the weighting is shown without it", async () => {
    const { server, user, address } = visit(MARGIN);
    await user.click(await screen.findByRole("button", { name: /^Remove this margin/ }));
    await waitFor(() => expect(server.changed?.weightings[0].margins).toEqual([]));
    expect(address()).toBe("/study/s1/weighting");
  });
});

describe("pasted targets", () => {
  const paste = async (user: ReturnType<typeof visit>["user"]) => {
    await user.click(await screen.findByText("Paste all targets anew"));
    await user.type(screen.getByLabelText("Paste or type targets, one per line"), "Hask 60{Enter}Oran 40");
  };

  it("say of each line what it was taken for, and are not taken while one is not", async () => {
    const { user } = visit(MARGIN);
    await paste(user);
    const status = await screen.findByText(/1 line matched, summing to/);
    expect(status.textContent).toContain("1 is not");
    expect(screen.getByRole("button", { name: "Use these targets" })).toHaveProperty("disabled", true);
    expect(screen.getByRole("button", { name: /Line 2: use “Orran”/ })).toBeTruthy();
  });

  it("are mended by a press on what was likely meant, asked for again and taken whole", async () => {
    const good = { ...recorded["POST /studies/s1/targets"], without_target: [] };
    const line = (at: number, code: number, label: string, value: number) => ({
      ...good.lines[0], line: at, at: { isle: code }, label, value, problem: null, likely: null,
    }); // biome-ignore format: one line a field is too long
    const { server, user } = visit(MARGIN, {
      "POST /studies/s1/targets": (asked: { body: { text: string } }) =>
        asked.body.text.includes("Orran")
          ? { ...good, total: 100, lines: [line(1, 1, "Hask", 60), line(2, 2, "Orran", 40)] }
          : recorded["POST /studies/s1/targets"],
    });
    await paste(user);
    await user.click(await screen.findByRole("button", { name: /use “Orran”/ }));
    await screen.findByText(/2 lines matched, summing to 100/);
    await user.click(screen.getByRole("button", { name: "Use these targets" }));
    await waitFor(() =>
      expect(server.changed?.weightings[0].margins[0].targets).toEqual([
        { at: { isle: 1 }, value: 60 },
        { at: { isle: 2 }, value: 40 },
      ]),
    );
  });
});

describe("the list of weightings", () => {
  it("says of each how it came out, and of its parts whether they are met", async () => {
    visit("/study/s1/weighting");
    const list = await screen.findByRole("region", { name: "Weights and design" });
    expect(await within(list).findByText("effective 38 of 38; margins met")).toBeTruthy();
    expect(within(list).getByText("2 targets, in shares; met")).toBeTruthy();
    expect(within(list).getByText("from 1 for every case")).toBeTruthy();
  });

  it("makes a new one under a name that is free, and goes to it", async () => {
    const { server, user, address } = visit("/study/s1/weighting");
    await user.click(await screen.findByRole("button", { name: "New weighting" }));
    await waitFor(() => expect(server.changed?.weightings).toHaveLength(2));
    const names = server.changed.weightings.map((w: { save_as?: string }) => w.save_as ?? "weight");
    expect(new Set(names).size).toBe(2);
    await waitFor(() => expect(address()).toMatch(/\/weighting\/w2$/));
  });

  it("keeps what was there where the server refuses, and says why", async () => {
    const { user } = visit("/study/s1/weighting", {
      "PATCH /studies/s1": new Refused(422, [{ what: "A weighting has no name.", where: "", mend: "Name it." }]),
    });
    await user.click(await screen.findByRole("button", { name: "New weighting" }));
    expect(await screen.findByText(/A weighting has no name\./)).toBeTruthy();
    await waitFor(() => expect(screen.queryByText("no weights yet")).toBeNull());
  });
});

describe("the limits", () => {
  it("are set by their fields, and gone where a field is emptied", async () => {
    const { server, user } = visit("/study/s1/weighting/limits");
    const high = await screen.findByLabelText("Upper limit");
    await user.type(high, "3{Enter}");
    await waitFor(() => expect(server.changed?.weightings[0].limits).toMatchObject({ high: 3 }));
    await user.clear(await screen.findByLabelText("Upper limit"));
    await user.tab();
    await waitFor(() => expect(server.changed.weightings[0].limits?.high ?? null).toBeNull());
    expect(server.sent("PATCH")).toHaveLength(2);
  });
});

describe("the design", () => {
  it("is said in a sentence, and changed by its choices", async () => {
    const { server, user } = visit("/study/s1/weighting/design");
    await screen.findByLabelText("Single-PSU strata");
    expect(document.body.textContent).toMatch(/37 degrees of freedom\. Standard errors by linearisation/);
    await user.selectOptions(screen.getByLabelText("Single-PSU strata"), "mean_of_units");
    await waitFor(() => expect(server.changed?.design.single_psu).toBe("mean_of_units"));
    await user.selectOptions(screen.getByLabelText("Standard errors by"), "bootstrap");
    await waitFor(() => expect(server.changed.design.variance).toMatchObject({ method: "bootstrap" }));
    expect(server.changed.design.single_psu).toBe("mean_of_units");
  });
});

describe("weights side by side", () => {
  it("shows what each makes of the answers, unweighted first", async () => {
    visit("/study/s1/weighting/compare");
    const { rows } = recorded["GET /studies/s1/comparison"];
    const table = (await screen.findByRole("columnheader", { name: "Answer" })).closest("table") as HTMLElement;
    const cells = within(table)
      .getAllByRole("row")
      .map((row) => row.textContent ?? "");
    const never = cells.find((text) => text.includes("Never"));
    for (const share of rows[0]?.estimates ?? []) expect(never).toContain((100 * (share as number)).toFixed(1));
  });
});
