// @vitest-environment jsdom
import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, expect, it, vi } from "vitest";
import { Tick } from "../src/parts/fields";
import { Ticks } from "../src/parts/ticks";

afterEach(cleanup);

function List() {
  const [left, setLeft] = useState<string[]>([]);
  return (
    <Ticks>
      {["a", "b", "c", "d", "e"].map((name) => (
        <Tick
          key={name}
          label={name}
          checked={left.includes(name)}
          // As forms do it: from what was drawn last.
          onChange={(e) => setLeft(e.target.checked ? [...left, name] : left.filter((x) => x !== name))}
        />
      ))}
    </Ticks>
  );
}

const ticked = () =>
  screen.getAllByRole("checkbox").flatMap((box, i) => ((box as HTMLInputElement).checked ? ["abcde"[i]] : []));

it("ticks and unticks all between two clicks, the second with Shift", async () => {
  const user = userEvent.setup();
  render(<List />);
  await user.click(screen.getByLabelText("b"));
  await user.keyboard("{Shift>}");
  await user.click(screen.getByLabelText("e"));
  await vi.waitFor(() => expect(ticked()).toEqual(["b", "c", "d", "e"]));
  await user.click(screen.getByLabelText("c"));
  await vi.waitFor(() => expect(ticked()).toEqual(["b"]));
});

it("goes through with the arrows, and ticks on the way with Shift", async () => {
  const user = userEvent.setup();
  render(<List />);
  await user.click(screen.getByLabelText("a"));
  await user.keyboard("{ArrowDown}{Shift>}{ArrowDown}{ArrowDown}{/Shift}");
  expect(ticked()).toEqual(["a", "c", "d"]);
  expect(screen.getByLabelText("d")).toBe(document.activeElement);
});
