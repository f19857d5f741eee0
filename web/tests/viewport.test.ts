import { describe, expect, it } from "vitest";
import { HEAD, HIGH, inSight, scrolledTo, type View, WIDE } from "../src/stations/screening/cells/viewport";

const view = (over: Partial<View> = {}): View => ({ top: 0, left: 0, height: HEAD + 20 * HIGH, width: 920, ...over });

describe("what of a grid is in sight", () => {
  it("is the first rows at the top and the last at the end", () => {
    expect(inSight(view(), 1000, 60)).toMatchObject({ first: 0, last: 20, from: 0, to: 5 });
    const end = inSight(view({ top: 1000 * HIGH - 20 * HIGH }), 1000, 60);
    expect([end.first, end.last]).toEqual([980, 999]);
  });

  it("shares pixels among rows where there are more than a browser can lay out, and still reaches each end", () => {
    const rows = 5_000_000;
    const { step } = inSight(view(), rows, 1);
    expect(rows * step).toBeLessThanOrEqual(30_000_000);
    const end = inSight(view({ top: rows * step - 20 * HIGH }), rows, 1);
    expect(end.last).toBe(rows - 1);
    expect(end.position).toBeCloseTo(rows - 20);
  });

  it("is nothing where there is no row", () => {
    const none = inSight(view(), 0, 0);
    expect(none.last).toBeLessThan(none.first);
    expect(none.to).toBeLessThan(none.from);
  });

  it.each([0, 1, 19, 20, 500, 998, 999])("scrolls so that row %i is wholly in sight", (place) => {
    for (const top of [0, 300, 12_000, 24_500]) {
      const at = view({ top });
      const to = inSight({ ...at, ...scrolledTo(at, 1000, place, 0) }, 1000, 60);
      expect(place).toBeGreaterThanOrEqual(to.position - 1e-9);
      expect(place + 1).toBeLessThanOrEqual(to.position + 20 + 1e-9);
    }
  });

  it("scrolls a column beside the fixed one", () => {
    const at = view({ left: 4 * WIDE });
    expect(scrolledTo(at, 10, 0, 2).left).toBe(2 * WIDE);
    expect(scrolledTo(at, 10, 0, 5).left).toBe(4 * WIDE);
    expect(scrolledTo(at, 10, 0, 20).left).toBe(21 * WIDE - (920 - 170));
  });
});
