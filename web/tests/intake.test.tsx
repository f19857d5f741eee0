// @vitest-environment jsdom
import { screen, waitFor, within } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import recorded from "./recorded.json";
import { fresh, Refused, visit } from "./serving";

fresh();

const file = recorded["GET /files/f1"];
const draft = recorded["GET /files/f1/draft"];

describe("a file that has arrived", () => {
  it("is shown with the codebook that is proposed for it, every column in one line", async () => {
    visit("/arriving/f1");
    expect(await screen.findByText(/nothing has been imported yet/)).toBeTruthy();
    for (const { line } of draft)
      expect(screen.getByLabelText(`Kind of ${line.questions[0]}`)).toHaveProperty("value", line.kind);
    expect(draft.flatMap((view) => view.line.questions).sort()).toEqual(file.columns.map((c) => c.name).sort());
  });

  it("is imported under a title with the draft as it stands", async () => {
    const { server, user, address } = visit("/arriving/f1", { "POST /studies": { id: "s1" } });
    const title = await screen.findByLabelText("Title of the study");
    expect(title).toHaveProperty("value", "answers");
    await user.clear(title);
    await user.type(title, "Ferries");
    await user.click(screen.getByRole("button", { name: "Import answers" }));
    const lines = draft.map((view) => view.line);
    await waitFor(() =>
      expect(server.sent("POST", "/studies")[0]?.body).toEqual({ title: "Ferries", file: "f1", draft: lines }),
    );
    await waitFor(() => expect(address()).toBe("/study/s1/codebook"));
  });

  it("is imported with the lines as they were changed", async () => {
    const { server, user } = visit("/arriving/f1", {
      "POST /studies": { id: "s1" },
      "POST /files/f1/draft/look": ({ body }: { body: unknown }) => ({
        ...recorded["POST /files/f1/draft/look"],
        line: body,
      }),
    });
    const kind = await screen.findByLabelText("Kind of isle");
    const line = kind.closest("li") as HTMLElement;
    await user.click(within(line).getByRole("button", { expanded: false }));
    const label = within(line).getByDisplayValue("Hask");
    await user.clear(label);
    await user.type(label, "Hask and around{Enter}");
    await user.selectOptions(await within(line).findByLabelText("What “Haks” is"), "the same as Hask and around");
    await waitFor(() => expect(server.sent("POST", "/look")).toHaveLength(2));
    await user.click(screen.getByRole("button", { name: "Import answers" }));
    await waitFor(() => expect(server.sent("POST", "/studies")).toHaveLength(1));
    const sent = server
      .sent("POST", "/studies")[0]
      ?.body.draft.find((l: { questions: string[] }) => l.questions[0] === "isle");
    expect(sent.scale.codes.map((c: { label: string }) => c.label)).toEqual(["Hask and around", "Orran"]);
    expect(sent.answers).toEqual({ Hask: 1, Haks: 1 });
  });

  it("is imported without the codebook where one wants that", async () => {
    const { server, user } = visit("/arriving/f1", { "POST /studies": { id: "s1" } });
    await user.click(await screen.findByRole("button", { name: "Import without the codebook" }));
    await waitFor(() => expect(server.sent("POST", "/studies")[0]?.body.draft).toEqual([]));
  });

  it("has its questions proposed as another kind", async () => {
    const { server, user } = visit("/arriving/f1");
    const first = draft.find((view) => view.line.questions.includes("crosses")) as (typeof draft)[number];
    await user.selectOptions(await screen.findByLabelText(`Kind of ${first.line.questions[0]}`), "text");
    await waitFor(() =>
      expect(server.sent("POST", "/draft/as")[0]?.body).toEqual({ kind: "text", questions: first.line.questions }),
    );
    expect(await screen.findByText(/as changed by you/)).toBeTruthy();
  });

  it("is not imported without a title", async () => {
    const { user } = visit("/arriving/f1");
    await user.clear(await screen.findByLabelText("Title of the study"));
    expect(screen.getByRole("button", { name: "Import answers" })).toHaveProperty("disabled", true);
  });

  it("is read again as it is said, and a refusal stands beside the choices", async () => {
    const { server, user } = visit("/arriving/f1", {
      "POST /files/f1/read-again": new Refused(422, [
        { what: "Line 3 has 2 cells, not 8.", where: "line 3", mend: "Choose another delimiter." },
      ]),
    });
    await user.selectOptions(await screen.findByLabelText("Delimiter"), ";");
    await waitFor(() =>
      expect(server.sent("POST", "/read-again")[0]?.body).toMatchObject({ delimiter: ";", encoding: "utf-8" }),
    );
    expect(await screen.findByText(/Line 3 has 2 cells, not 8\./)).toBeTruthy();
    expect(screen.getByText(/Choose another delimiter\./)).toBeTruthy();
  });
});

describe("a file whose encoding is in doubt", () => {
  const beside = [
    { encoding: "cp1252", words: ["Kõrb", "hõs"] },
    { encoding: "cp1250", words: ["Kőrb", "hős"] },
  ];
  const doubted = { ...file, reading: { ...file.reading, encoding: "cp1252" }, readings: beside };

  it("is shown as each of them reads it, and read again as the one that is pressed", async () => {
    const { server, user } = visit("/arriving/f1", {
      "GET /files/f1": doubted,
      "POST /files/f1/read-again": new Refused(422, [{ what: "It does not read.", where: "a.csv", mend: "No." }]),
    });
    const group = await screen.findByRole("group", { name: "Which of these looks right?" });
    const [first, second] = within(group).getAllByRole("button") as [HTMLElement, HTMLElement];
    expect(first.getAttribute("aria-pressed")).toBe("true");
    expect(second.textContent).toContain("Kőrb, hős");
    expect(second.textContent).toContain("Central European");
    await user.click(second);
    await waitFor(() => expect(server.sent("POST", "/read-again")[0]?.body).toMatchObject({ encoding: "cp1250" }));
  });

  it("is not asked about where the encoding is sure", async () => {
    visit("/arriving/f1");
    expect(await screen.findByLabelText("Encoding")).toBeTruthy();
    expect(screen.queryByRole("group", { name: "Which of these looks right?" })).toBeNull();
  });
});

describe("a study's files", () => {
  it("are said with their records, and can be followed by newer ones", async () => {
    visit("/study/s1/intake");
    const files = await screen.findByRole("region", { name: "Files" });
    expect(within(files).getByText(/40 records/)).toBeTruthy();
    expect(within(files).getByRole("button", { name: "Import a newer file" })).toBeTruthy();
    expect(within(files).getByRole("button", { name: "Add a lookup file" })).toBeTruthy();
  });
});

describe("the release", () => {
  it("hands over single files of the study as it stands", async () => {
    visit("/study/s1/release/files");
    await screen.findByText("Records with weights");
    for (const name of ["tables.xlsx", "microdata.csv", "weighting.html", "results.json"])
      expect(screen.getByRole("button", { name: new RegExp(`Save .*${name.split(".")[0]}`) })).toHaveProperty(
        "disabled",
        false,
      );
  });

  it("is not ready while something stops the study, which is said", async () => {
    const study = {
      ...recorded["GET /studies/s1"],
      faults: [
        {
          what: "There is no variable 'zz'.",
          where: "tables[0].stub[0]",
          mend: "Did you mean isle?",
          at: null,
          of: "",
          kind: "",
          write: "",
        },
      ],
    };
    visit("/study/s1/release", { "GET /studies/s1": study });
    expect(await screen.findByText("Not ready yet")).toBeTruthy();
    const stops = screen.getByRole("region", { name: "Blocking problems" });
    expect(stops.textContent).toContain("There is no variable 'zz'. Did you mean isle?");
    expect(screen.getByRole("button", { name: "Make the release" })).toHaveProperty("disabled", true);
  });
});
