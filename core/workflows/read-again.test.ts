import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { isPair, isScalar, type Node } from "yaml";
import { bounds } from "../values/bounds.js";
import { isObject, type Json } from "../values/json.js";
import { valueAt } from "../values/paths.js";
import { isSame } from "./edit-value.js";
import { readWorkflow } from "./read.js";
import { readAgain } from "./read-again.js";
import { readWhole, type Reading } from "./read-whole.js";
import { readingOf } from "./reading.js";

/** Values as a person may write them behind a key or a dash; `|` at the start of a line stands for the indentation. */
const written = [
  "a",
  "b c",
  '"q: x"',
  "'it''s'",
  "12",
  "null",
  "",
  "GET ${x}/y",
  "12345678901234567890.5",
  "!!str 5",
  "{ a: 1, b: [x, y] }",
  "[1, { c: d }]",
  "x # behind",
  "# only a comment\n|  z",
  "long plain\n|  that goes on",
  '"quoted\n|  over lines"',
  "|\n|  two\n|    lines",
  "|-\n|  x",
  "|+\n|  keep\n",
  ">\n|  fold\n|  more",
  "|2\n|  ind",
];
/** What comes to stand somewhere when somebody types or pastes. */
const typed = [
  ..."x\n:-#\"'{}[]|&*!%?\t0,.",
  ": ",
  "- ",
  "\n\n",
  "${",
  "&a ",
  "*a",
  "\n  - z\n",
  "\nk0: v\n",
  "---\n",
  "\n...\n",
  "\r\n",
  "    deep: 1\n",
];

/** A text of lists and mappings in each other, and texts that come of it by one edit after another, faulty ones among them. */
function* texts(next: () => number): Generator<[before: string, after: string]> {
  const pick = <T>(list: readonly T[]): T => list[next() % list.length] as T;
  const block = (isList: boolean, indent: number, depth: number): string => {
    const space = " ".repeat(indent);
    let text = "";
    for (let entry = 0; entry <= next() % 4; entry++) {
      if (next() % 7 === 0) text += pick([`${space}# note\n`, "\n", "# far left\n", `${space}   # deep\n`]);
      const key = isList ? "-" : `${pick(["k", "step", "x-y", "200", "'q k'"])}${entry}:`;
      if (depth === 0 || next() % 2 === 0)
        text += `${space}${key} ${pick(written).replaceAll(/^\|(?= )/gm, space)}\n`;
      else {
        const inList = !isList && next() % 2 === 0;
        const inner = block(inList, indent + (inList && next() % 3 === 0 ? 0 : 2), depth - 1);
        const besides = isList && /^ *[^ #\n]/.test(inner) && next() % 4 > 0;
        text += besides
          ? `${space}- ${inner.slice(indent + 2)}`
          : `${space}${key}${pick(["", " # c"])}\n${inner}`;
      }
    }
    return text;
  };
  let before = block(next() % 4 === 0, 0, 3);
  for (let edit = 0; edit < 8; edit++) {
    const lines = before.split("\n");
    const at = next() % lines.length;
    const line = lines[at] as string;
    const from = next() % (before.length + 1);
    const after = pick([
      () => before.slice(0, from) + pick(typed) + before.slice(from + (next() % 2) * (next() % 6)),
      () => lines.toSpliced(at, 1 + (next() % 3)).join("\n"),
      () => lines.toSpliced(at, 0, pick(lines)).join("\n"),
      () => lines.with(at, pick([`  ${line}`, line.replace(/^ {1,2}/, ""), `# ${line}`])).join("\n"),
      () =>
        lines
          .with(
            at,
            line.replace(/\S*$/, () => pick(written).replaceAll(/^\|(?= )/gm, "      ")),
          )
          .join("\n"),
    ])();
    yield [before, after];
    if (readWhole(after).value !== undefined) before = after;
  }
}

/** All of a tree that somebody looks at: kinds, values, how each is written, and where it stands. */
function treeOf(node: unknown): unknown {
  if (isPair(node)) return [treeOf(node.key), treeOf(node.value)];
  if (!node) return node;
  const { constructor, range, tag, flow, items } = node as Node & { flow?: boolean; items?: unknown[] };
  const comment = isScalar(node) && node.source && !node.comment?.includes("\n") ? node.comment : undefined;
  const scalar = isScalar(node) && {
    text: String(node.value),
    source: node.source,
    type: node.type,
    comment,
  };
  return {
    kind: constructor.name,
    from: range?.[0],
    // Where others end their last entry says.
    to: items && !flow ? undefined : range?.[1],
    tag,
    flow,
    ...scalar,
    items: items?.map(treeOf),
  };
}

describe("reading again", () => {
  it("gives what reading all of the text gives, whatever changed; and takes only texts without a fault", () => {
    let [taken, all] = [0, 0];
    fc.assert(
      fc.property(fc.infiniteStream(fc.nat()), (numbers) => {
        for (const [before, after] of texts(() => numbers.next().value)) {
          const again = readAgain(readWhole(before), after);
          all++;
          if (!again) continue;
          taken++;
          const whole = readWhole(after);
          expect(whole.problems).toEqual([]);
          expect(treeOf(again.root)).toEqual(treeOf(whole.root));
          expect(isSame(again.value as Json, whole.value as Json)).toBe(true);
          expect(again.lineStarts).toEqual(whole.lineStarts);
          expect(again.size.values).toBe(whole.size.values);
          expect(again.size.tokens).toBeGreaterThanOrEqual(whole.size.tokens);
        }
      }),
      { numRuns: 1_500 },
    );
    expect(taken).toBeGreaterThan(all / 25);
  });

  const steps = Array.from({ length: 50 }, (_, index) => `  - step: s${index}\n    note: said\n`);
  const text = `name: long\nsteps:\n${steps.join("")}`;
  const at = (reading: Reading | undefined, index: number) =>
    valueAt(reading?.value as Json, ["steps", index]);

  it("finds what is wrong with an entry only since another comes behind it", () => {
    const start = `k: ${"long ".repeat(20)}\n`;
    const [from, to] = [`${start}x: # c\n  z\n`, `${start}x:\n\n# c\n  z\n`];
    expect(readWhole(`${to}s: 1\n`).problems).not.toEqual([]);
    expect(readAgain(readWhole(`${from}s: 1\n`), `${to}s: 1\n`)).toBeUndefined();
    // Without the last one nothing is wrong.
    expect(readAgain(readWhole(from), to)?.value).toEqual(readWhole(to).value);
  });

  it("leaves spaces on the blank lines behind a text of several lines to reading all of it", () => {
    const start = `k: ${"long ".repeat(20)}\nl:\n  - a: |\n\n`;
    const before = readWhole(`${start}\ns: 1\n`);
    expect(readAgain(before, `${start}  \ns: 1\n`)).toBeUndefined();
    expect(readAgain(before, `${start.replace("a:", "b:")}\ns: 1\n`)).toBeDefined();
  });

  it("keeps the values of what did not change, and counts on", () => {
    const before = readWhole(text);
    const after = readAgain(before, text.replace("s7\n    note: said", "s7\n    note: [much, more]"));
    expect(at(after, 7)).toEqual({ step: "s7", note: ["much", "more"] });
    for (const index of [0, 6, 8, 49]) expect(at(after, index)).toBe(at(before, index));
    expect(after?.size.values).toBe(before.size.values + 2);
    // Several at once, and one that goes.
    const moved = readAgain(before, text.replace(steps[3] as string, "").replace("step: s4", "step: t4"));
    expect(at(moved, 3)).toEqual({ step: "t4", note: "said" });
    expect(at(moved, 48)).toBe(at(before, 49));
  });

  it.each<[string, string, string]>([
    ["a name for a value", "note: said", "note: &it said"],
    ["an alias", "note: said", "note: *it"],
    ["a key that stands twice", "    note: said\n", "    note: said\n    note: again\n"],
    ["a fault", "note: said", 'note: "said'],
    ["a text that is cut", "note: said", "note: ${a # b}"],
    ["the start of a document", "  - step: s9", "---\n  - step: s9"],
  ])("leaves a text with %s to reading all of it", (_what, from, to) => {
    expect(readAgain(readWhole(text), text.replace(from, to))).toBeUndefined();
  });

  it("does so beyond the bounds, too", () => {
    const before = readWhole(text);
    const full = { ...before, size: { ...before.size, values: bounds.fileValues } };
    expect(readAgain(full, text.replace("said", "says"))).toBeDefined();
    expect(readAgain(full, text.replace("said", "[said]"))).toBeUndefined();
    const worn = { ...before, size: { ...before.size, tokens: bounds.fileValues * 3 } };
    expect(readAgain(worn, text.replace("said", "says"))).toBeUndefined();
    const deep = "[".repeat(bounds.fileDepth) + "]".repeat(bounds.fileDepth);
    expect(readAgain(before, text.replace("said", deep))).toBeUndefined();
    expect(readWhole(text.replace("said", deep)).problems).toMatchObject([{ code: "too-deep" }]);
  });

  it("is done by whoever reads a text: the same text is one reading, and a changed one keeps what it can", () => {
    const first = readingOf(text);
    expect(readingOf(text)).toBe(first);
    expect(at(readingOf(text.replace("s30", "t30")), 8)).toBe(at(first, 8));
    // A fault between two texts costs nothing of the first.
    expect(readingOf(text.replace("s30", '"t30')).value).toBeUndefined();
    const value = readingOf(text.replace("s30", "u30")).value ?? null;
    expect(isObject(value) && valueAt(value, ["steps", 8])).toBe(at(first, 8));
  });

  it("takes nothing apart again of a step that did not change, and finds what is wrong there now", () => {
    const file = (query: string, more = "") =>
      `copper-kettle: 1\nname: long\nsteps:\n${more}  - { step: a, request: "GET https://huts.example/${query}" }\n${steps
        .map(
          (_, index) =>
            `  - { step: b${index}, only-if: steps.a.body.open, note: "\${steps.a.body.name}" }\n`,
        )
        .join("")}`;
    const condition = (text: string, at: number) => readWorkflow(text).workflow?.steps[at]?.onlyIf;
    const first = condition(file("huts"), 9);
    expect(first).toBeDefined();
    expect(condition(file("beds"), 9)).toBe(first);
    // Also at another place.
    expect(condition(file("beds", "  - { step: c, note: new }\n"), 10)).toBe(first);
    const broken = readWorkflow(file("beds").replace("step: a,", "step: z,")).problems;
    // The two of a line say the same, once.
    expect(broken.filter(({ code }) => code === "reference")).toHaveLength(50);
    expect(broken.at(-1)).toMatchObject({ field: 'steps[50]["only-if"]', line: 54 });
  });
});
