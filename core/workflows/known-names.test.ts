import { describe, expect, it } from "vitest";
import { KnownNames } from "./known-names.js";
import { readWorkflow } from "./read.js";

describe("names that become known while a file is read", () => {
  it("stay for whoever looked as they were then", () => {
    const known = new KnownNames<string>();
    known.set("guest", "one");
    const early = known.asOfNow();
    known.set("guest", "another");
    known.set("huts", "three");
    const copy = known.copy();
    copy.set("post", "four");
    expect([early.names(), early.get("guest"), early.get("huts")]).toEqual([["guest"], "one", undefined]);
    const late = known.asOfNow();
    expect([late.names(), late.get("guest"), late.get("post")]).toEqual([
      ["guest", "huts"],
      "another",
      undefined,
    ]);
    expect(known.since(early)).toEqual([["huts", "three"]]);
    expect([copy.asOfNow().names(), known.isEmpty]).toEqual([["guest", "huts", "post"], false]);
  });

  it("are those of the steps before a line, and what a branch gave may be absent behind it", () => {
    const { scopeAt } = readWorkflow(`copper-kettle: 1
name: a
steps:
  - { step: one, note: x }
  - { step: two, if: "true", then: [{ step: inner, set: { n: 1 } }] }
  - { step: three, note: y }
`);
    const steps = (line: number) => scopeAt(line).get("steps")?.fields;
    expect([4, 5, 6].map((line) => steps(line)?.names())).toEqual([[], ["one"], ["one", "inner", "two"]]);
    expect([steps(6)?.get("one")?.sure, steps(6)?.get("inner")?.sure]).toEqual([true, false]);
    expect(steps(5)?.get("inner")).toBeUndefined();
  });
});
