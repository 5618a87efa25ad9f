import { describe, expect, it } from "vitest";
import { bounds } from "../values/bounds.js";
import { readWorkflow } from "./read.js";

const head = "copper-kettle: 1\nname: large\nsteps:\n";
const said = (text: string) => readWorkflow(text).problems.map(({ code, message }) => `${code}: ${message}`);
const steps = (count: number): string =>
  head + Array.from({ length: count }, (_, index) => `  - { step: s${index}, note: x }`).join("\n");

describe("a workflow file that goes beyond a bound", () => {
  // A text of a hundred kilobytes ended the service: the reader recursed to the end of the stack.
  it.each([
    ["lists in JSON", `{"a":${"[".repeat(50_000)}${"]".repeat(50_000)}}`],
    ["mappings in JSON", `${'{"a":'.repeat(50_000)}1${"}".repeat(50_000)}`],
    ["lists in lists, as lines", `${"- ".repeat(50_000)}a`],
    ["mappings, line by line", Array.from({ length: 1_000 }, (_, at) => `${" ".repeat(at)}a:`).join("\n")],
    ["questions", "? ".repeat(100_000)],
  ])(
    "is refused for its depth: %s",
    (_what, text) => {
      expect(said(text)).toEqual([
        expect.stringMatching(/^too-(deep|large): It (is nested|holds) more than/),
      ]);
    },
    10_000,
  );

  it("says no more than so many problems, and takes no longer for more", () => {
    for (const text of ['"}: {\n'.repeat(100_000), "}".repeat(300_000), `[${",".repeat(200_000)}]`]) {
      const found = said(text);
      expect(found.length).toBeLessThanOrEqual(bounds.fileProblems);
      expect(found.length).toBeGreaterThan(0);
    }
    const wrong = Array.from({ length: 900 }, (_, index) => `  - { stp: s${index}, nte: x }`).join("\n");
    expect(readWorkflow(head + wrong).problems).toHaveLength(bounds.fileProblems);
  }, 30_000);

  it("has a bound for the keys of a mapping, for values, for words and for steps", () => {
    const keys = (count: number): string => Array.from({ length: count }, (_, at) => `k${at}: 1`).join("\n");
    expect(said(keys(bounds.fileKeys + 1))).toContain(
      `too-large: A mapping may have ${bounds.fileKeys} keys.`,
    );
    expect(said(keys(100_000))[0]).toMatch(/^too-large/);
    expect(said(`${head}  - { step: a, note: "${"x".repeat(bounds.fileLength)}" }`)).toEqual([
      `too-large: A workflow file may be ${bounds.fileLength} characters long.`,
    ]);
    expect(said(steps(bounds.fileSteps))).toEqual([]);
    expect(said(steps(bounds.fileSteps + 1))).toEqual([
      `too-large: A workflow may have ${bounds.fileSteps} steps. Move some of them into another workflow.`,
    ]);
  }, 30_000);

  it("holds aliases that lead back to themselves, or blow up, and keys that stand twice", () => {
    expect(said(`${head}  - &a { step: a, note: *a }\n`)).toEqual([
      expect.stringContaining("an alias that holds itself"),
    ]);
    const blown = Array.from({ length: 20 }, (_, at) =>
      at === 0 ? "a0: &a0 [x, x, x, x, x, x, x, x, x]" : `a${at}: &a${at} [${`*a${at - 1},`.repeat(9)}]`,
    );
    expect(said(blown.join("\n"))).toEqual([
      expect.stringContaining(`more than ${bounds.fileValues} values`),
    ]);
    expect(said(`${head}  - { step: a, note: b, note: c }\n`)).toEqual([
      'yaml: The key "note" is used twice.',
    ]);
    expect(said(`${head}  - { step: a, note: &n "x" }\n  - { step: b, note: *n }\n`)).toEqual([]);
  });
});
