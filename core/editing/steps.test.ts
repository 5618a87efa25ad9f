import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { printJson, type Json, type JsonObject } from "../values/json.js";
import { valueAt } from "../values/paths.js";
import { CannotEdit, valueOfText } from "../workflows/edit.js";
import { readWorkflow } from "../workflows/read.js";
import { linesOf } from "./lines.js";
import { setInOrder } from "./order.js";
import { freeName, nameFrom } from "./names.js";
import { copyStep, duplicateStep, pasteSteps } from "./paste.js";
import { brokenReads, brokenText } from "./broken.js";
import {
  addStep,
  moveStep,
  nextPlace,
  placeOf,
  removeStep,
  stepsOf,
  unwrapStep,
  wrapRest,
  wrapStep,
} from "./steps.js";

const file = `copper-kettle: 1
name: greet
title: Greet   # a comment that stays
inputs: { type: object, properties: { email: { type: string } } }
triggers: { desk: { by-hand: {} } }
steps:
  # Is the guest there?
  - step: guest
    request: GET https://stays.example/guests
    query: { email: "\${inputs.email}" }   # as typed

  # Is it known?
  - step: known
    if: size(steps.guest.body.items) > 0
    then:
      - { step: old, set: { id: "\${steps.guest.body.items[0].id}" } }
    else:
      - step: made
        request: POST https://stays.example/guests
        body: { json: { email: "\${inputs.email}" } }
      - { step: fresh, set: { id: "\${steps.made.body.id}" } }

  - { step: reply, respond: { body: { id: "\${variables.id}" } } }
`;
const names = (text: string): string[] => stepsOf(valueOfText(text)).map(({ step }) => String(step["step"]));
/** The lines of one text that are not lines of the other. */
const lost = (before: string, after: string): string[] => {
  const left = after.split("\n");
  return before.split("\n").filter((line) => {
    const at = left.indexOf(line);
    if (at >= 0) left.splice(at, 1);
    return at < 0;
  });
};

describe("steps of a text", () => {
  it("are added with a free name, in a branch that was not there, too", () => {
    const one = addStep(file, { list: ["steps"], index: 1 }, { step: "guest", note: "x" });
    expect(names(one.text)).toEqual(["guest", "guest2", "known", "old", "made", "fresh", "reply"]);
    expect(one.path).toEqual(["steps", 1]);
    const two = addStep(one.text, { list: ["steps", 0, "catch"], index: 0 }, { step: "sorry", note: "x" });
    expect(valueAt(valueOfText(two.text), ["steps", 0, "catch", 0, "step"])).toBe("sorry");
    expect(lost(file, two.text)).toEqual([]);
    expect(readWorkflow(two.text).problems.filter(({ severity }) => severity === "error")).toEqual([]);
  });

  it("are removed with their comments, and who read them is named", () => {
    const { text } = removeStep(file, ["steps", 0]);
    expect(brokenReads(file, text).map(brokenText)).toEqual([
      "The step known reads guest, which is not known there.",
      "The step old reads guest, which is not known there.",
    ]);
    expect(text).not.toContain("Is the guest there?");
    const last = removeStep(removeStep(file, ["steps", 1, "else", 1]).text, ["steps", 1, "else", 0]);
    expect(valueAt(valueOfText(last.text), ["steps", 1])).not.toHaveProperty("else");
    expect(() => removeStep(file, ["steps", 9])).toThrow(CannotEdit);
  });

  it("move up and down, out of what holds them and back, and nothing else changes", () => {
    const place = nextPlace(file, ["steps", 1, "else", 0], -1);
    expect(place).toEqual({ list: ["steps"], index: 1 });
    const out = moveStep(file, ["steps", 1, "else", 0], place as never);
    expect(out.path).toEqual(["steps", 1]);
    expect(names(out.text)).toEqual(["guest", "made", "known", "old", "fresh", "reply"]);
    const back = moveStep(out.text, out.path, { list: ["steps", 2, "else"], index: 0 });
    expect(valueOfText(back.text)).toEqual(valueOfText(file));
    expect(nextPlace(file, ["steps", 0], -1)).toBeUndefined();
    expect(nextPlace(file, ["steps", 0], 1)).toEqual({ list: ["steps"], index: 2 });
  });

  it("are copied with what is in them: the copy reads itself, and the original is as it was", () => {
    const { text, notes } = duplicateStep(file, ["steps", 1]);
    expect(names(text)).toEqual([
      "guest",
      "known",
      "old",
      "made",
      "fresh",
      "known2",
      "old2",
      "made2",
      "fresh2",
      "reply",
    ]);
    expect(text).toContain('{ step: fresh2, set: { id: "${steps.made2.body.id}" } }');
    expect(text).toContain('{ step: old2, set: { id: "${steps.guest.body.items[0].id}" } }');
    expect(notes).toContain("made is called made2 here.");
    expect(lost(file, text)).toEqual([]);
  });

  it("are pasted from other workflows, and what they read and is not here is named", () => {
    const copied = copyStep(file, placeOf(file, "fresh"));
    const other = "copper-kettle: 1\nname: other\nsteps:\n  - { step: a, note: x }\n";
    const { text } = pasteSteps(other, { list: ["steps"], index: 1 }, copied);
    expect(names(text)).toEqual(["a", "fresh"]);
    expect(brokenReads(other, text)).toEqual([
      { reader: "fresh", path: ["steps", 1], reads: "made", instead: ["a"] },
    ]);
    expect(names(pasteSteps(other, { list: ["steps"], index: 0 }, file).text)).toEqual([...names(file), "a"]);
    const many = (count: number): string =>
      Array.from({ length: count }, (_, at) => `# note ${at}\n- step: n${at}\n  note: "\${steps.n0}"\n`).join(
        "",
      );
    const all = pasteSteps(other, { list: ["steps"], index: 1 }, many(100)).text;
    expect(names(all)).toHaveLength(101);
    expect(all.match(/# note/g)).toHaveLength(100);
    expect(() => pasteSteps(other, { list: ["steps"], index: 1 }, many(101))).toThrow("At most 100");
    for (const bad of ["", "hello", "<p>steps</p>", "- 1", "{}", "- { note: x }", "a: [", "- step: 7"])
      expect(() => pasteSteps(other, { list: ["steps"], index: 0 }, bad)).toThrow(CannotEdit);
  });

  it("are put into a loop, a condition or a group, and taken out again", () => {
    for (const wrapper of ["each", "if", "group"] as const) {
      const wrapped = wrapStep(file, ["steps", 0], wrapper, "[1]");
      expect(wrapped.text).toContain("# Is the guest there?");
      const out = unwrapStep(wrapped.text, wrapped.path);
      expect(valueOfText(out.text)).toEqual(valueOfText(file));
    }
    expect(() => unwrapStep(file, ["steps", 0])).toThrow("There are no steps in it.");
  });

  it("are put into a loop with all that follow, as they are written", () => {
    const loop = { step: "reply", each: "[1]", as: "one", steps: [] };
    const { text, path } = wrapRest(file, ["steps", 1], loop);
    expect([path, names(text)]).toEqual([
      ["steps", 1],
      ["guest", "reply2", "known", "old", "made", "fresh", "reply"],
    ]);
    expect(text).toContain("      # Is it known?\n      - step: known\n");
    expect(text).toMatch(/\S\n\n {6}- \{ step: reply,/);
    expect(lost(file, text).every((line) => text.includes(line.trim()))).toBe(true);
    // Taken out again they are as they were, in the file and on the page.
    expect(unwrapStep(text, path).text).toBe(file);
    expect(() => wrapRest(file, ["steps", 3], loop)).toThrow("No step stands behind it.");

    // Wherever they stand, between brackets too.
    for (const flow of [file, "steps: [{ step: a, note: x }, { step: b, note: x }, { step: c, note: x }]\n"])
      for (const at of [0, 1, 2]) {
        const steps = (valueOfText(flow) as { steps: Json[] }).steps;
        expect(valueOfText(wrapRest(flow, ["steps", at], { ...loop, step: "n" }).text)).toMatchObject({
          steps: [...steps.slice(0, at), { ...loop, step: "n", steps: steps.slice(at) }],
        });
      }
  });

  it("get names that the language takes", () => {
    expect(nameFrom("List the huts")).toBe("listTheHuts");
    expect(nameFrom("für alle!")).toBe("furAlle");
    expect(nameFrom("7 days")).toBe("step7Days");
    expect(nameFrom("in")).toBe("in_");
    expect(nameFrom("")).toBe("step");
    expect(freeName("a2", new Set(["a2", "a3"]))).toBe("a4");
  });

  it("whatever the edits in whatever order, every text can be read, and no line is lost that was not touched", () => {
    const act = fc.record({
      what: fc.constantFrom("add", "remove", "shift", "duplicate", "wrap", "rest", "unwrap"),
      at: fc.nat(30),
      by: fc.constantFrom(-1 as const, 1 as const),
    });
    let made = 0;
    fc.assert(
      fc.property(fc.array(act, { maxLength: 8 }), (acts) => {
        let text = file;
        for (const { what, at, by } of acts) {
          const all = stepsOf(valueOfText(text));
          const path = all[at % Math.max(1, all.length)]?.path;
          if (!path) return;
          const before = text;
          const count = all.length;
          try {
            if (what === "add")
              text = addStep(
                text,
                { list: path.slice(0, -1), index: Number(path.at(-1)) },
                { step: "n", note: "x" },
              ).text;
            else if (what === "remove") text = removeStep(text, path).text;
            else if (what === "duplicate") text = duplicateStep(text, path).text;
            else if (what === "wrap") text = wrapStep(text, path, "group").text;
            else if (what === "rest") text = wrapRest(text, path, { step: "n", each: "[1]", steps: [] }).text;
            else if (what === "unwrap") text = unwrapStep(text, path).text;
            else {
              const place = nextPlace(text, path, by);
              if (place) text = moveStep(text, path, place).text;
            }
          } catch (error) {
            if (!(error instanceof CannotEdit)) throw error;
            expect(text).toBe(before);
            continue;
          }
          made++;
          const now = names(text);
          expect(new Set(now).size).toBe(now.length);
          expect(
            linesOf(text)
              ?.filter((line) => line.what === "step")
              .map(({ name }) => name),
          ).toEqual(now);
          if (what === "shift") expect([...now].sort()).toEqual([...names(before)].sort());
          if (what === "wrap" || what === "rest") expect(now.length).toBe(count + 1);
          if (what === "add") expect([now.length, lost(before, text)]).toEqual([count + 1, []]);
          expect(text).toContain("# a comment that stays");
        }
      }),
      { numRuns: 150 },
    );
    expect(made).toBeGreaterThan(200);
  });
});

describe("a field that is new", () => {
  it("stands where people write it", () => {
    let text = "copper-kettle: 1\nname: x\nsteps:\n  - step: a\n    request: GET https://stays.example/a\n";
    text = setInOrder(text, ["title"], "X");
    text = setInOrder(text, ["inputs"], { type: "object", properties: { e: { type: "string" } } });
    text = setInOrder(text, ["triggers"], { desk: { "by-hand": {} } });
    text = setInOrder(text, ["steps", 0, "retry"], { times: 2 });
    text = setInOrder(text, ["steps", 0, "using"], "stays-key");
    text = setInOrder(text, ["steps", 0, "title"], "A");
    const value = valueOfText(text) as { steps: JsonObject[] } & JsonObject;
    expect(Object.keys(value)).toEqual(["copper-kettle", "name", "title", "inputs", "triggers", "steps"]);
    expect(Object.keys(value.steps[0] ?? {})).toEqual(["step", "title", "request", "using", "retry"]);
  });

  it("breaks a line that would grow too long into one a key, and changes nothing else", () => {
    let text = `copper-kettle: 1\nname: x\nsteps:\n  - { step: a, note: x }\n`;
    const wanted: JsonObject = {};
    for (const name of ["email", "hut", "season", "first", "last"]) {
      wanted[name] = { type: "string", title: `The ${name} of the guest` };
      text = setInOrder(text, ["inputs", "properties", name], wanted[name] as Json);
    }
    expect(printJson(valueAt(valueOfText(text), ["inputs", "properties"]) ?? null)).toBe(printJson(wanted));
    expect(Math.max(...text.split("\n").map(({ length }) => length))).toBeLessThan(120);
  });
});
