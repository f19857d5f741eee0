import { beforeEach, describe, expect, it, vi } from "vitest";

const kept = new Map<string, string>();
vi.stubGlobal("localStorage", {
  getItem: (key: string) => kept.get(key) ?? null,
  setItem: (key: string, value: string) => kept.set(key, value),
});

const fresh = async () => {
  vi.resetModules();
  return await import("../src/parts/keys");
};

describe("keys that stand alone", () => {
  beforeEach(() => kept.clear());

  it("are those without Ctrl, and can be switched off", async () => {
    const { keyOf, switchKeys } = await fresh();
    const codes = { id: "codes", keys: "c" };
    expect(keyOf(codes)).toBe("c");
    switchKeys(true);
    expect(keyOf(codes)).toBeUndefined();
    expect(keyOf({ id: "undo", keys: "Ctrl+z" })).toBe("Ctrl+z");
  });

  it("can be others, also after the page is loaded again", async () => {
    const first = await fresh();
    first.setKey({ id: "codes", keys: "c" }, "x");
    const again = await fresh();
    expect(again.keyOf({ id: "codes", keys: "c" })).toBe("x");
    again.setKey({ id: "codes", keys: "c" }, "c");
    expect(kept.get("even-ballot-keys")).toBe('{"off":false,"own":{}}');
  });

  it("are as they were where what is stored does not read", async () => {
    kept.set("even-ballot-keys", "{");
    const { keyOf } = await fresh();
    expect(keyOf({ id: "codes", keys: "c" })).toBe("c");
  });
});
