import { describe, expect, it } from "vitest";
import { basedOn, freeName, freshWeighting } from "../src/stations/weighting/weights";

describe("the name of a weight", () => {
  it("is one that neither a weighting nor a variable has", () => {
    expect(freeName([], [])).toBe("weight");
    expect(freeName([], ["weight"])).toBe("weight2");
    expect(freeName([{ save_as: "weight2" }, {}], ["weight3"])).toBe("weight4");
    expect(freeName([{ save_as: "final" }], ["final2"], "final")).toBe("final3");
    expect(freshWeighting([], ["weight"]).save_as).toBe("weight2");
  });

  it("is followed by the weightings that begin with it", () => {
    expect(basedOn({ base: "first" }, "first", "one").base).toBe("one");
    expect(basedOn({ base: "other" }, "first", "one").base).toBe("other");
    expect(basedOn({ base: { times: ["first", "size"], over: ["first"] } }, "first", "one").base).toMatchObject({
      times: ["one", "size"],
      over: ["one"],
    });
    expect(basedOn({ base: null }, "first", "one").base).toBeNull();
  });
});
