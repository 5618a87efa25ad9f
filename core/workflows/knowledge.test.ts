import { describe, expect, it } from "vitest";
import { readWorkflow } from "./read.js";

describe("what is known of the values at each place", () => {
  it("grows with each step, though what was known before was looked at", () => {
    const { problems } = readWorkflow(`copper-kettle: 1
name: known
steps:
  - { step: a, set: { n: "\${1 + 1}" } }
  - { step: b, set: { m: "\${steps.a.n + 1}" } }
  - { step: c, note: "\${size(steps.b.m)}" }
  - { step: d, note: "\${size(variables.m)}" }
`);
    const kinds = problems.filter(({ message }) => message.includes("size"));
    expect(kinds.map(({ line }) => line)).toEqual([6, 7]);
  });
});
