// @vitest-environment jsdom
import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { ActionButton, useActions, useKeys } from "../src/parts/actions";
import { Field, TextInput } from "../src/parts/fields";
import { FindMany } from "../src/parts/find-many";
import { setKey, switchKeys } from "../src/parts/keys";
import { Faults } from "../src/parts/notices";
import { NumberField } from "../src/parts/number-field";
import { Fold } from "../src/stations/tables/fold";

// The environment lays nothing out, so nothing is scrolled.
Element.prototype.scrollIntoView = () => {};
afterEach(cleanup);
beforeEach(() => localStorage.clear());

describe("a number field", () => {
  const field = (value: number | null, take: (n: number | null) => void) =>
    render(<NumberField aria-label="Target" value={value} take={take} />);

  it("takes a number when it is left, thousands apart or with a comma", async () => {
    const take = vi.fn();
    field(12830, take);
    const box = screen.getByLabelText("Target");
    expect(box).toHaveProperty("value", "12,830");
    await userEvent.clear(box);
    await userEvent.type(box, "0,48{Enter}");
    expect(take).toHaveBeenCalledWith(0.48);
  });

  it("takes nothing that is no number, says so, and Escape brings back what was", async () => {
    const take = vi.fn();
    field(3, take);
    const box = screen.getByLabelText("Target");
    await userEvent.type(box, "x");
    expect(box.getAttribute("aria-invalid")).toBe("true");
    await userEvent.tab();
    expect(take).not.toHaveBeenCalled();
    await userEvent.type(box, "{Escape}");
    expect(box).toHaveProperty("value", "3");
  });
});

describe("a field", () => {
  it("names its box, and what is wrong stands in place of the hint", () => {
    render(
      <Field label="Title" hint="Short." wrong="It is empty.">
        {(p) => <TextInput {...p} />}
      </Field>,
    );
    const box = screen.getByLabelText("Title");
    expect(document.getElementById(box.getAttribute("aria-describedby") ?? "")?.textContent).toBe("It is empty.");
    expect(screen.queryByText("Short.")).toBeNull();
  });
});

describe("faults", () => {
  it("say what, where and what mends it, and never look like the study file", () => {
    const faults = [
      { what: "Nobody is in age 9.", where: "weightings[0].margins[1]", mend: "Leave it out.", write: '"at": {}' },
      { what: "There is no variable 'x'", where: "value", mend: "", at: 5, of: "pick(x)" },
    ];
    const { container } = render(<Faults faults={faults} />);
    expect(screen.getByRole("alert")).toBeTruthy();
    expect(container.textContent).toContain("Nobody is in age 9. Leave it out.at weighting 1, margin 2");
    expect(container.textContent).toContain("at character 6 of “pick(x)”");
    expect(container.textContent).not.toMatch(/margins\[|"at"/);
  });
});

function OneAction({ run, disabled }: { run: () => void; disabled?: boolean }) {
  useKeys();
  const known = useActions().map((a) => a.label);
  return (
    <>
      <ActionButton id="codes" label="Show codes" keys="c" run={run} disabled={disabled} />
      <input aria-label="Somewhere to type" />
      <output>{known.join()}</output>
    </>
  );
}

describe("actions", () => {
  it("are known to the palette and done by button and key, but not while something is typed", async () => {
    const run = vi.fn();
    render(<OneAction run={run} />);
    expect(screen.getByRole("status").textContent).toBe("Show codes");
    await userEvent.click(screen.getByRole("button", { name: "Show codes" }));
    await userEvent.keyboard("c");
    expect(run).toHaveBeenCalledTimes(2);
    await userEvent.type(screen.getByLabelText("Somewhere to type"), "c");
    expect(run).toHaveBeenCalledTimes(2);
  });

  it("are not done by a key while they cannot be, or while such keys are off; another key does as it is told", async () => {
    const run = vi.fn();
    const { rerender } = render(<OneAction run={run} disabled />);
    await userEvent.keyboard("c");
    rerender(<OneAction run={run} />);
    switchKeys(true);
    await userEvent.keyboard("c");
    expect(run).not.toHaveBeenCalled();
    switchKeys(false);
    setKey({ id: "codes", keys: "c" }, "x");
    await userEvent.keyboard("cx");
    expect(run).toHaveBeenCalledTimes(1);
    setKey({ id: "codes", keys: "c" }, "c");
  });
});

describe("a fold", () => {
  it("says what is in it while it is closed, and stays as it was left", async () => {
    const fold = (
      <Fold id="f" title="Figures" says="column %">
        <p>inside</p>
      </Fold>
    );
    const { unmount } = render(fold);
    expect(screen.getByText("column %")).toBeTruthy();
    expect(screen.queryByText("inside")).toBeNull();
    const details = document.querySelector("details") as HTMLDetailsElement;
    details.open = true;
    details.dispatchEvent(new Event("toggle"));
    expect(await screen.findByText("inside")).toBeTruthy();
    unmount();
    render(fold);
    expect(screen.getByText("inside")).toBeTruthy();
  });
});

const OPTIONS = [
  { name: "isle", title: "Isle of landing" },
  { name: "age", title: "How old are you?" },
  { name: "age_band", title: "Age in bands" },
];

function Chooser() {
  const [chosen, setChosen] = useState<string[]>([]);
  return (
    <>
      <FindMany id="stub" label="Stub" chosen={chosen} options={OPTIONS} change={setChosen} />
      <output>{chosen.join()}</output>
    </>
  );
}

describe("finding many", () => {
  it("takes the first that is meant by Enter, and takes it away again", async () => {
    render(<Chooser />);
    const box = screen.getByRole("combobox");
    await userEvent.type(box, "old{Enter}");
    await userEvent.type(box, "isl{Enter}");
    expect(screen.getByRole("status").textContent).toBe("age,isle");
    await userEvent.type(box, "{Backspace}");
    expect(screen.getByRole("status").textContent).toBe("age");
  });
});
