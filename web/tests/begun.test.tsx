// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import recorded from "./recorded.json";
import { fresh, visit } from "./serving";

fresh();

const study = recorded["GET /studies/s1"];
const bare = { ...study, document: { ...study.document, weightings: [], tables: [] } };
const none = { ...recorded["GET /studies/s1/weightings"], reports: [], faults: [] };

describe("a study without weights", () => {
  it("shows what could be margins; one is begun by a click and typed target by target", async () => {
    const { server, user } = visit("/study/s1/weighting", {
      "GET /studies/s1": bare,
      "GET /studies/s1/weightings": none,
    });
    const list = await screen.findByRole("list", { name: "Questions that could be margins" });
    await user.click(within(list).getByText("isle"));
    const first = await screen.findByLabelText("Target of Hask");
    await waitFor(() => expect(document.activeElement).toBe(first));
    await user.keyboard("60{Enter}40{Enter}");
    await waitFor(() => expect(server.changed?.weightings?.[0]?.margins).toHaveLength(1));
    expect(server.changed.weightings[0].margins[0]).toMatchObject({
      by: ["isle"],
      as: "percent",
      targets: [
        { at: { isle: 1 }, value: 60 },
        { at: { isle: 2 }, value: 40 },
      ],
    });
  });
});

describe("a new table", () => {
  it("begins with its stub, ready to be typed, and says why a text cannot stand there", async () => {
    const { server, user } = visit("/study/s1/tables", { "GET /studies/s1": bare });
    await user.click(await screen.findByRole("button", { name: "New table" }));
    const stub = await screen.findByLabelText("Stub (down)");
    expect(await screen.findByText(/Choose the stub/)).toBeTruthy();
    await user.type(stub, "said");
    expect(await screen.findByText(/give them codes in the Codebook first/)).toBeTruthy();
    await user.clear(stub);
    await user.type(stub, "crosses{Enter}");
    await waitFor(() => expect(server.changed?.tables?.[0]?.stub).toEqual(["crosses"]));
    expect(server.changed.tables[0].title).toBe("How often do you cross?");
  });
});
