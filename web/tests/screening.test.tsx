// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import recorded from "./recorded.json";
import { fresh, visit } from "./serving";

fresh();

const SCREENING = "/study/s1/screening";
const open = async (finding: RegExp, own = {}) => {
  const visited = visit(SCREENING, own);
  const list = await screen.findByRole("region", { name: "Findings" });
  // The heading of a kind stands above its findings.
  await visited.user.click((await within(list).findAllByText(finding)).at(-1) as HTMLElement);
  return visited;
};

describe("findings", () => {
  it("stand by kind, with how many cells or cases each concerns", async () => {
    visit(SCREENING);
    const list = await screen.findByRole("region", { name: "Findings" });
    for (const finding of recorded["GET /studies/s1/findings"])
      expect(list.textContent).toContain(finding.value || finding.variable);
    expect(within(list).getByText("“Haks”")).toBeTruthy();
  });

  it("entries that fit nothing take a code of the scale, as an entry of the ledger", async () => {
    const { server, user } = await open(/“Haks”/);
    await user.selectOptions(await screen.findByLabelText(/All 1 such cell mean/), "1");
    await user.click(screen.getByRole("button", { name: "Recode" }));
    await waitFor(
      () =>
      expect(server.changed?.ledger.at(-1)).toEqual({
        do: "code", variables: ["isle"], scale: "isles", answers: { Haks: 1 }, otherwise: "flag",
      }), // biome-ignore format: an entry
    );
    expect(server.changed.ledger).toHaveLength(3);
  });

  it("stand once a reason is given, and not before", async () => {
    const { server, user } = await open(/over 70/);
    const stand = await screen.findByRole("button", { name: "Accept" });
    expect(stand).toHaveProperty("disabled", true);
    await user.type(screen.getByLabelText("Or accept, because"), "there are such people");
    await user.click(screen.getByRole("button", { name: "Accept" }));
    await waitFor(() =>
      expect(server.changed?.codebook.accepted).toEqual([
        { variable: "age", kind: "out_of_range", value: "over 70", cases: 2, why: "there are such people" },
      ]),
    );
    expect(server.changed.codebook.scales).toHaveProperty("often");
  });

  it("those let stand are looked at again", async () => {
    const [, range, ...others] = recorded["GET /studies/s1/findings"];
    const study = structuredClone(recorded["GET /studies/s1"]) as { document: { codebook: Record<string, unknown> } };
    study.document.codebook.accepted = [
      { variable: "age", kind: "out_of_range", value: "over 70", cases: 2, why: "true" },
      { variable: "isle", kind: "not_placed", value: "Haks", cases: 1, why: "so it stands" },
    ];
    const { server, user } = await open(/over 70/, {
      "GET /studies/s1": study,
      "GET /studies/s1/findings": [{ ...range, accepted: "true" }, ...others],
    });
    await user.click(await screen.findByRole("button", { name: "Look at it again" }));
    await waitFor(() =>
      expect(server.changed?.codebook.accepted.map((a: { value: string }) => a.value)).toEqual(["Haks"]),
    );
  });

  it("entries alike are set aside by the very step that the check gives", async () => {
    const alike = recorded["GET /studies/s1/findings"].find((f) => f.kind === "duplicate_entry");
    const { server, user } = await open(/Duplicate records/, {
      "GET /studies/s1/findings/cases": {
        ...recorded["GET /studies/s1/findings/cases"],
        mend: alike?.step,
        sentence: "Set aside cases alike",
      },
    });
    await waitFor(() => expect(screen.getByLabelText("Reason")).toHaveProperty("value", "the same entry twice"));
    const why = screen.getByLabelText("Reason");
    await user.clear(why);
    await user.type(why, "sent twice");
    await user.click(screen.getByRole("button", { name: "Set them aside" }));
    await waitFor(() => expect(server.changed?.ledger.at(-1)).toEqual({ ...alike?.step, why: "sent twice" }));
  });
});

describe("rules", () => {
  it("say how many cases break them before they are added", async () => {
    const { server, user } = visit(`${SCREENING}/rules`, {
      "POST /studies/s1/condition": (asked: { body: { where: string; broken: boolean } }) => ({
        cases: asked.body.broken ? 3 : 35, of: 38, faults: [],
      }), // biome-ignore format: an answer
    });
    await user.type(await screen.findByLabelText("What must hold"), "age < 70");
    expect(await screen.findByText("Broken by 3 cases of 38.")).toBeTruthy();
    const add = screen.getByRole("button", { name: "Add the rule" });
    expect(add).toHaveProperty("disabled", true);
    await user.type(screen.getByLabelText("Name"), "not too old");
    await user.click(add);
    await waitFor(() => expect(server.changed?.codebook.rules).toEqual([{ name: "not too old", must: "age < 70" }]));
  });

  it("two of one name are not to be had", async () => {
    const study = structuredClone(recorded["GET /studies/s1"]) as { document: { codebook: Record<string, unknown> } };
    study.document.codebook.rules = [{ name: "grown up", must: "age >= 18" }];
    const { server, user } = visit(`${SCREENING}/rules`, { "GET /studies/s1": study });
    await user.type(await screen.findByLabelText("What must hold"), "age > 16");
    await user.type(screen.getByLabelText("Name"), "grown up");
    expect(screen.getByText("There is a rule of this name.")).toBeTruthy();
    expect(screen.getByRole("button", { name: "Add the rule" })).toHaveProperty("disabled", true);
    await user.click(screen.getByRole("button", { name: "Remove the rule: grown up" }));
    await waitFor(() => expect(server.changed?.codebook.rules).toEqual([]));
  });
});

describe("cases set aside by a condition", () => {
  it("are counted while it is typed, and set aside with the reason", async () => {
    const { server, user } = visit(`${SCREENING}/set-aside`);
    await user.click(await screen.findByRole("button", { name: "Set cases aside …" }));
    await user.type(await screen.findByLabelText("Where this is true"), "age > 40");
    await waitFor(() => expect(server.sent("POST", "/condition").at(-1)?.body).toMatchObject({ where: "age > 40" }));
    const { cases } = recorded["POST /studies/s1/condition"];
    expect(await screen.findByText(new RegExp(`^${cases} of `))).toBeTruthy();
    await user.type(screen.getByLabelText("Reason"), "too old");
    await user.click(screen.getByRole("button", { name: "Set them aside" }));
    await waitFor(() =>
      expect(server.changed?.ledger.at(-1)).toMatchObject({ do: "drop_cases", where: "age > 40", why: "too old" }),
    );
  });
});

describe("the flow of cases", () => {
  it("says how many were received, set aside and are in use", async () => {
    const { user } = visit(SCREENING);
    await user.click(await screen.findByRole("button", { name: "Flow of cases" }));
    const flow = await screen.findByRole("region", { name: "Flow of cases" });
    expect(flow.textContent).toContain("40");
    expect(flow.textContent).toContain("38");
    expect(within(flow).getByRole("button", { name: "List the 2 cases of entry 1" })).toBeTruthy();
  });
});

describe("what was left out", () => {
  it("is asked for over a run of questions", async () => {
    const { server, user } = visit(SCREENING);
    await user.click(await screen.findByRole("button", { name: "Item non-response" }));
    const part = await screen.findByRole("region", { name: "Item non-response" });
    await user.selectOptions(within(part).getByLabelText("From question"), "crosses");
    await waitFor(() => {
      const asked = server.sent("GET", "/left-out").at(-1);
      expect(asked?.query.getAll("questions")[0]).toBe("crosses");
    });
  });
});
