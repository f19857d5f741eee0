// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import recorded from "./recorded.json";
import { type Asked, fresh, visit } from "./serving";

fresh();

const BEGIN = "/study/s1/weighting/begin";
const first = (server: ReturnType<typeof visit>["server"]) => server.changed?.weightings[0];

describe("what a weighting begins with", () => {
  it("is 1 for every case, a variable, or a product", async () => {
    const { server, user } = visit(BEGIN);
    const kind = await screen.findByLabelText("Base weight");
    const options = [...kind.querySelectorAll("option")].map((o) => o.value);
    expect(options.length).toBeGreaterThan(3);
    await user.selectOptions(kind, options.find((o) => /column|variable/.test(o)) ?? (options[1] as string));
    await user.selectOptions(await screen.findByLabelText("Variable"), "age");
    await waitFor(() => expect(first(server)?.base).toBe("age"));
    expect(first(server).margins).toHaveLength(1);
  });

  it("is raked separately within what is chosen", async () => {
    const { server, user } = visit(BEGIN);
    await user.type(await screen.findByRole("combobox", { name: /Separately within/ }), "crosses{Enter}");
    await waitFor(() => expect(first(server)?.within).toEqual(["crosses"]));
  });

  it("adds up to a number where one is asked for", async () => {
    const { server, user } = visit(BEGIN);
    await user.selectOptions(await screen.findByLabelText("Final weights add up to"), "number");
    await waitFor(() => expect(first(server)?.scale_to).toBe(1000));
    const number = await screen.findByLabelText("Which number");
    await user.clear(number);
    await user.type(number, "12,830{Enter}");
    await waitFor(() => expect(first(server).scale_to).toBe(12830));
  });

  it("does not take a scale of nothing", async () => {
    const { server, user } = visit(BEGIN);
    await user.selectOptions(await screen.findByLabelText("Final weights add up to"), "number");
    const number = await screen.findByLabelText("Which number");
    await user.clear(number);
    await user.type(number, "0{Enter}");
    expect(number.getAttribute("aria-invalid")).toBe("true");
    expect(first(server).scale_to).toBe(1000);
  });

  it("is saved under another name, which the tables that use it follow", async () => {
    const { server, user } = visit(BEGIN);
    const name = await screen.findByLabelText("Saved as the variable");
    await user.clear(name);
    await user.type(name, "final_weight{Enter}");
    await waitFor(() => expect(first(server)?.save_as).toBe("final_weight"));
  });

  it("keeps its own base where that is a variable of the name it had", async () => {
    const study = structuredClone(recorded["GET /studies/s1"]);
    Object.assign(study.document, {
      weightings: [
        { base: "weight", margins: [], save_as: "weight" },
        { base: "weight", margins: [], save_as: "second" },
      ],
      design: { weight: "weight" },
    });
    const { server, user } = visit(BEGIN, { "GET /studies/s1": study });
    const name = await screen.findByLabelText("Saved as the variable");
    await user.clear(name);
    await user.type(name, "final_weight{Enter}");
    await waitFor(() => expect(first(server)).toMatchObject({ save_as: "final_weight", base: "weight" }));
    expect(server.changed.weightings[1].base).toBe("final_weight");
    expect(server.changed.design.weight).toBe("final_weight");
  });

  it("adjusts for those who did not answer, by a condition and cells", async () => {
    const { server, user } = visit(BEGIN);
    await user.click(await screen.findByLabelText("Adjust for non-response"));
    await user.type(await screen.findByLabelText("Who answered"), "crosses > 0");
    await user.click(screen.getByRole("button", { name: "Adjust" }));
    await waitFor(() => expect(first(server)?.nonresponse).toMatchObject({ responded: "crosses > 0" }));
  });
});

describe("a new margin", () => {
  it("is made of one variable or several, with a target for each category to come", async () => {
    const line = {
      line: 1,
      text: "Never 40",
      at: { crosses: 1 },
      label: "Never",
      value: 40,
      problem: null,
      likely: null,
    };
    const { server, user, address } = visit("/study/s1/weighting", {
      "POST /studies/s1/targets": { lines: [line], total: 40, without_target: ["Weekly"] },
    });
    await user.click(await screen.findByRole("button", { name: "New margin" }));
    await user.type(await screen.findByRole("combobox", { name: /Variables/ }), "crosses{Enter}");
    await user.type(await screen.findByLabelText("Paste or type targets, one per line"), "Never 40");
    await screen.findByText(/1 line matched/);
    await user.click(screen.getByRole("button", { name: "Use these targets" }));
    await waitFor(() => expect(first(server)?.margins).toHaveLength(2));
    expect(first(server).margins[1]).toMatchObject({ by: ["crosses"], targets: [{ at: { crosses: 1 }, value: 40 }] });
    await waitFor(() => expect(address()).toBe("/study/s1/weighting/margin-1"));
  });
});

describe("parts in the survey that nothing uses", () => {
  it("are told beside the design, and taken into it at one press", async () => {
    const what = "h is said to be a stratum, but the design does not use it.";
    const { server, user } = visit("/study/s1/weighting/design", {
      "GET /studies/s1/design": {
        ...recorded["GET /studies/s1/design"],
        notices: [{ what, where: "design.strata", mend: "", kind: "unused_role" }],
        proposal: { strata: ["h"], clusters: null, population_size: null, weight: null },
      },
    });
    expect(await screen.findByText(new RegExp(what))).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Use them in the design" }));
    await waitFor(() => expect(server.changed?.design).toEqual({ strata: ["h"] }));
  });
});

describe("deleted studies", () => {
  it("say until when they are kept, and are kept as long as is chosen", async () => {
    const card = { id: "s9", title: "Old ferries", source: "a.csv", records: 3, changed: "2026-03-01T10:00:00Z" };
    const { server, user } = visit("/", {
      "GET /studies": ({ query }: Asked) =>
        query.get("deleted") === "true"
          ? [{ ...card, deleted: "2026-03-02T10:00:00Z", until: "2026-04-01T10:00:00Z" }]
          : [],
      "GET /studies/retention": { days: 30 },
      "PUT /studies/retention": ({ body }: Asked) => body,
    });
    await user.click(await screen.findByRole("button", { name: "Deleted studies" }));
    expect(await screen.findByText(/deleted 2 March.*; kept until 1 April/)).toBeTruthy();
    const choice = await screen.findByLabelText("Delete permanently");
    expect(choice).toHaveProperty("value", "30");
    await user.selectOptions(choice, "90");
    await waitFor(() => expect(server.sent("PUT").at(-1)?.body).toEqual({ days: 90 }));
  });
});
