import { describe, expect, it } from "vitest";
import { Presence } from "./presence.js";

const [ines, marit] = [
  { kind: "person", id: "ines" },
  { kind: "token", id: "marit" },
] as const;

describe("who else has a workflow open", () => {
  it("is each other window, by its name, until it says nothing for a while or says that it goes", () => {
    let now = 0;
    const presence = new Presence(() => now);
    expect(presence.here("round", "w1", ines)).toEqual([]);
    expect(presence.here("round", "w2", ines)).toEqual([{ who: "ines", isSelf: true }]);
    expect(presence.here("other", "w1", marit)).toEqual([]);
    // The name of a window belongs to who has it: nobody takes another's place.
    expect(presence.here("round", "w1", marit)).toEqual([
      { who: "ines", isSelf: false },
      { who: "ines", isSelf: false },
    ]);
    presence.gone("round", "w2", ines);
    presence.gone("round", "w1", { ...marit, id: "odd" });
    expect(presence.here("round", "w1", ines)).toEqual([{ who: "marit", isSelf: false }]);
    now = 30_000;
    presence.here("round", "w1", ines);
    now = 50_000;
    expect(presence.here("round", "w3", ines)).toEqual([{ who: "ines", isSelf: true }]);
  });

  it("is bounded: those that were heard of longest ago are forgotten", () => {
    const presence = new Presence(() => 0);
    for (let count = 0; count < 2_000; count++) presence.here("round", `w${count}`, ines);
    expect(presence.here("round", "last", marit)).toHaveLength(49);
    for (let count = 0; count < 1_500; count++) presence.here(`w${count}`, "w", ines);
    expect(presence.here("round", "last", marit)).toEqual([]);
  });
});
