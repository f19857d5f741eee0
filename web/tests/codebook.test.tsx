// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import recorded from "./recorded.json";
import { fresh, Refused, visit } from "./serving";

fresh();

const trial = recorded["POST /studies/s1/try"];
const steps = (server: ReturnType<typeof visit>["server"]) => server.changed?.ledger.slice(2);

describe("the questionnaire", () => {
  it("reads as it was asked: answers with codes and shares, and what was not placed", async () => {
    visit("/study/s1/codebook");
    await screen.findByText("The questionnaire, as it was answered");
    const isle = recorded["GET /studies/s1/codebook"].variables.find((v) => v.variable.name === "isle");
    const hask = isle?.answers.find((a) => a.label === "Hask");
    const row = screen.getAllByRole("cell", { name: "Hask" })[0]?.closest("tr");
    expect(row?.textContent).toContain(String(hask?.cases));
    expect(screen.getAllByText(/▲ unrecognised/).length).toBeGreaterThan(0);
  });

  it("is found by a part of a question's text", async () => {
    const { user } = visit("/study/s1/codebook");
    await user.type(await screen.findByLabelText("Search names and questions"), "how old");
    const list = screen.getByRole("region", { name: "Variables" });
    await waitFor(() => expect(within(list).queryByText("isle")).toBeNull());
    expect(within(list).getByText("age")).toBeTruthy();
  });

  it("shows codes in place of labels at one key, and labels again", async () => {
    const { user } = visit("/study/s1/codebook/isle");
    await screen.findByRole("cell", { name: "Hask" });
    await user.click(screen.getByRole("button", { name: "Words" }));
    await waitFor(() => expect(screen.queryByRole("cell", { name: "Hask" })).toBeNull());
    await user.click(screen.getByRole("button", { name: "Codes" }));
    expect(await screen.findByRole("cell", { name: "Hask" })).toBeTruthy();
  });
});

describe("a step tried before it is taken", () => {
  it("shows what it would do, and is an entry of the ledger once it is taken", async () => {
    const { server, user } = visit("/study/s1/codebook/new");
    await user.click(await screen.findByRole("button", { name: /New variable/ }));
    await user.type(await screen.findByLabelText("Name"), "young");
    await user.type(screen.getByLabelText("Formula"), "age < 30");
    const would = await screen.findByRole("region", { name: "Preview" });
    await waitFor(() =>
      expect(server.sent("POST", "/try").at(-1)?.body.step).toMatchObject({ into: "young", value: "age < 30" }),
    );
    expect(would.textContent).toContain(`${trial.sentence}`);
    await user.type(screen.getByLabelText(/^Reason \(optional\)/), "for the news");
    await user.click(screen.getByRole("button", { name: "Create variable" }));
    await waitFor(() =>
      expect(steps(server)).toEqual([expect.objectContaining({ do: "derive", into: "young", why: "for the news" })]),
    );
  });

  it("cannot be taken while it has faults, which stand where they are", async () => {
    const fault = {
      what: "There is no variable 'aeg'.",
      where: "value",
      mend: "Did you mean age?",
      at: 0,
      of: "aeg",
      kind: "",
      write: "",
    };
    const { user } = visit("/study/s1/codebook/new", { "POST /studies/s1/try": { ...trial, faults: [fault] } });
    await user.click(await screen.findByRole("button", { name: /New variable/ }));
    await user.type(await screen.findByLabelText("Name"), "young");
    await user.type(screen.getByLabelText("Formula"), "aeg < 30");
    expect((await screen.findAllByText(/Did you mean age\?/)).length).toBeGreaterThan(0);
    expect(screen.getByRole("button", { name: "Create variable" })).toHaveProperty("disabled", true);
  });

  it("is asked for once, when typing rests", async () => {
    const { server, user } = visit("/study/s1/codebook/new");
    await user.click(await screen.findByRole("button", { name: /New variable/ }));
    await user.type(await screen.findByLabelText("Name"), "young");
    await user.type(screen.getByLabelText("Formula"), "age < 30");
    await screen.findByRole("region", { name: "Preview" });
    expect(server.sent("POST", "/try").length).toBeLessThan(4);
  });
});

describe("tools for a coded question", () => {
  const tool = async (name: string, path = "/study/s1/codebook/crosses") => {
    const visited = visit(path);
    await visited.user.click(await screen.findByRole("button", { name }));
    return visited;
  };

  it("recode: one code becomes another, in a variable of another name", async () => {
    const { server, user } = await tool("Recode …");
    await user.selectOptions(await screen.findByLabelText("What code 3 becomes"), "2");
    await waitFor(() =>
      expect(server.sent("POST", "/try").at(-1)?.body.step).toMatchObject({ do: "recode", codes: { 3: 2 } }),
    );
  });

  it("fewer categories: answers are put together under a name", async () => {
    const { server, user } = await tool("Combine categories …");
    const first = await screen.findByLabelText("Category 1");
    await user.clear(first);
    await user.type(first, "At all");
    await user.selectOptions(screen.getByLabelText("Where “Weekly” goes"), "0");
    await waitFor(() => {
      const step = server.sent("POST", "/try").at(-1)?.body.step;
      expect(step).toMatchObject({ do: "collapse", variable: "crosses" });
      expect(JSON.stringify(step.groups)).toContain("At all");
    });
  });

  it("blanks take a code that means no answer", async () => {
    const { server, user } = await tool("Code blanks as …");
    await user.selectOptions(await screen.findByLabelText("Blank cells take the code"), "9");
    await waitFor(() =>
      expect(server.sent("POST", "/try").at(-1)?.body.step).toMatchObject({
        do: "fill_blank",
        variables: ["crosses"],
        code: 9,
      }),
    );
  });

  it("a new name is taken only where it is free", async () => {
    const { user } = await tool("Rename …");
    const name = await screen.findByLabelText("New name");
    await user.clear(name);
    await user.type(name, "age");
    expect(screen.getByRole("button", { name: "Rename it" })).toHaveProperty("disabled", true);
    expect(screen.getByText("A variable age already exists.")).toBeTruthy();
    await user.clear(name);
    await user.type(name, "crossing");
    await waitFor(() => expect(screen.getByRole("button", { name: "Rename it" })).toHaveProperty("disabled", false));
  });

  it("about: question, part and level are kept in the codebook", async () => {
    const { server, user } = await tool("About …");
    const label = await screen.findByLabelText("Question, as it was asked");
    await user.clear(label);
    await user.type(label, "How often do you take the ferry?");
    await user.click(screen.getByRole("button", { name: "Save" }));
    await waitFor(() => {
      const mine = server.changed?.codebook.variables.find((v: { name: string }) => v.name === "crosses");
      expect(mine).toMatchObject({ label: "How often do you take the ferry?", scale: "often" });
    });
  });

  it("a number is cut into bands whose labels can be changed", async () => {
    const { server, user } = await tool("Band …", "/study/s1/codebook/age");
    await user.type(await screen.findByLabelText("Where each band begins"), "18, 35, 60");
    const label = await screen.findByLabelText("Label of band 1");
    await user.clear(label);
    await user.type(label, "young");
    await waitFor(() => {
      const step = server.sent("POST", "/try").at(-1)?.body.step;
      expect(step).toMatchObject({ do: "band", variable: "age" });
      expect(step.bands).toHaveLength(3);
      expect(step.bands[0]).toMatchObject({ from: 18, below: 35, label: "young" });
    });
  });
});

describe("tools for texts and numbers", () => {
  it("replace a wording wherever it stands", async () => {
    const { server, user } = visit("/study/s1/codebook/said?tool=replace");
    await user.type(await screen.findByLabelText(/^Wordings/), "late = tardy");
    await user.click(screen.getByLabelText("Also within longer answers"));
    await waitFor(() => expect(screen.getByRole("button", { name: "Replace" })).toHaveProperty("disabled", false));
    await user.click(screen.getByRole("button", { name: "Replace" }));
    await waitFor(() =>
      expect(server.changed?.ledger?.at(-1)).toMatchObject({
        do: "replace",
        variables: ["said"],
        wordings: { late: "tardy" },
        part: true,
      }),
    );
  });

  it("top-code a number in a new variable", async () => {
    const { server, user } = visit("/study/s1/codebook/age?tool=top-code");
    await user.type(await screen.findByLabelText("Largest value"), "60{Enter}");
    const make = await screen.findByRole("button", { name: "Create variable" });
    await waitFor(() => expect(make).toHaveProperty("disabled", false));
    await user.click(make);
    await waitFor(() =>
      expect(server.changed?.ledger?.at(-1)).toMatchObject({
        do: "derive",
        into: "age_top",
        value: "pick(age > 60, 60, age)",
      }),
    );
  });
});

describe("answer scales", () => {
  it("stand with the questions they serve, and a new one is typed as lines", async () => {
    const { server, user } = visit("/study/s1/codebook");
    await user.click(await screen.findByRole("button", { name: "Answer scales" }));
    const often = await screen.findByRole("region", { name: "Scale often" });
    expect(within(often).getByText(/At times/)).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "New scale" }));
    await user.type(await screen.findByLabelText("Name of the scale"), "yes_no");
    await user.type(screen.getByLabelText("Answers, one per line, in order"), "1 Yes{Enter}2 No");
    await user.click(screen.getByRole("button", { name: "Save scale" }));
    await waitFor(() =>
      expect(server.changed?.codebook.scales.yes_no.codes).toEqual([
        { code: 1, label: "Yes" },
        { code: 2, label: "No" },
      ]),
    );
    expect(Object.keys(server.changed.codebook.scales)).toContain("often");
  });

  it("a code cannot be given twice", async () => {
    const { user } = visit("/study/s1/codebook");
    await user.click(await screen.findByRole("button", { name: "Answer scales" }));
    await user.click(await screen.findByRole("button", { name: "New scale" }));
    await user.type(await screen.findByLabelText("Name of the scale"), "yes_no");
    await user.type(screen.getByLabelText("Answers, one per line, in order"), "1 Yes{Enter}1 No");
    expect(screen.getByRole("button", { name: "Save scale" })).toHaveProperty("disabled", true);
  });
});

describe("what the server refuses", () => {
  it("a newer state is said, and the change can be made of it", async () => {
    let stale = true;
    const { server, user } = visit("/study/s1/codebook/crosses", {
      "PATCH /studies/s1": () => {
        if (!stale) return recorded["GET /studies/s1"];
        stale = false;
        return new Refused(409, [{ what: "Somebody has changed this study.", where: "", mend: "" }]);
      },
    });
    await user.click(await screen.findByRole("button", { name: "Code blanks as …" }));
    await user.selectOptions(await screen.findByLabelText("Blank cells take the code"), "9");
    const take = await screen.findByRole("button", { name: "Give blanks this code" });
    await waitFor(() => expect(take).toHaveProperty("disabled", false));
    await user.click(take);
    expect(await screen.findByText(/Somebody has changed this study/)).toBeTruthy();
    await user.click(screen.getByRole("button", { name: "Apply my change to the latest version" }));
    await waitFor(() => expect(server.sent("PATCH")).toHaveLength(2));
    expect(server.changed.ledger.at(-1)).toMatchObject({ do: "fill_blank", code: 9 });
  });
});
