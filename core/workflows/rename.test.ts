import { describe, expect, it } from "vitest";
import { CannotEdit } from "./edit.js";
import { fieldAt } from "./fields.js";
import { readWorkflow } from "./read.js";
import { readInstead, rename } from "./rename.js";

const text = `copper-kettle: 1
name: desk
inputs:
  type: object
  required: [email, "hut"]
  properties: { email: { type: string }, hut: { type: string } }
steps:
  - step: guest   # who is it?
    request: GET https://stays.example/guests?who=\${inputs.email}
    success: status == 200
  - { step: seen, set: { 'count': "\${size(steps.guest.body.items)}", plain: steps.guest stays } }
  - step: round
    each: steps.guest.body.items.filter(guest, guest.id != steps["guest"].body.items[0].id)
    as: one
    steps:
      - step: told
        request: POST https://boards.example/posts
        body:
          json:
            text: >
              \${steps.?guest.status} of
              \${inputs.hut}: \${variables.count}
        retry: { waits: [1s], when: steps.guest.status == 503 }
        catch: [{ step: noted, note: "\${error.code} \${default(steps.guest, null)} 'steps.guest'" }]
  - step: last
    together:
      branches:
        a: [{ step: said, if: variables.count > 1, then: [{ step: end, finish: "\${string(variables.count)} at \${inputs.hut}" }] }]
`;

describe("renaming", () => {
  it("takes time in proportion to the length of a text that reads a step thousands of times", () => {
    const long = `copper-kettle: 1\nname: a\nsteps:\n  - { step: q, note: x }\n  - step: w\n    note: "${"${steps.q} ".repeat(16_000)}"\n`;
    const began = performance.now();
    const made = rename(long, "step", "q", "guest");
    expect(made).toBe(long.replace("step: q", "step: guest").replaceAll("steps.q", "steps.guest"));
    expect(readInstead(made, ["steps", 1], "guest", "q")).toBe(made.replaceAll("steps.guest", "steps.q"));
    expect(performance.now() - began).toBeLessThan(6_000);
  });

  it("changes a step with all that reads it, and no text that only looks like it", () => {
    expect(readWorkflow(text).problems.filter(({ severity }) => severity === "error")).toEqual([]);
    const made = rename(text, "step", "guest", "visitor");
    expect(made).toBe(
      text
        .replace("step: guest ", "step: visitor ")
        .replace("size(steps.guest.", "size(steps.visitor.")
        .replace("each: steps.guest.", "each: steps.visitor.")
        .replace('steps["guest"]', "steps.visitor")
        .replace("steps.?guest", "steps.?visitor")
        .replace("when: steps.guest", "when: steps.visitor")
        .replace("default(steps.guest,", "default(steps.visitor,"),
    );
    expect(rename(made, "step", "visitor", "guest")).toBe(text.replace('steps["guest"]', "steps.guest"));
  });

  it("changes a variable where it is set and read, and an input where it is described and required", () => {
    expect(rename(text, "variable", "count", "guests")).toBe(
      text.replace("'count'", "'guests'").replaceAll("variables.count", "variables.guests"),
    );
    expect(rename(text, "input", "hut", "place")).toBe(
      text
        .replace('"hut"]', '"place"]')
        .replace("hut: { type", "place: { type")
        .replaceAll("inputs.hut", "inputs.place"),
    );
  });

  it.each<[string, () => string, string]>([
    ["nothing has the name", () => rename(text, "step", "gast", "a"), 'There is no step "gast".'],
    ["the name is taken", () => rename(text, "step", "guest", "seen"), "already"],
    ["it cannot be a name", () => rename(text, "step", "guest", "a-b"), "cannot be a name"],
    [
      "a field cannot be read",
      () => rename(text.replace("> 1", ">"), "step", "guest", "a"),
      "Correct it first",
    ],
    [
      "a reference is written with escapes",
      () => rename(text.replace('"${size(steps.guest.', '"${size(steps.\\x67uest.'), "step", "guest", "a"),
      "edit the text",
    ],
  ])("is refused where %s", (_why, run, message) => {
    expect(run).toThrow(CannotEdit);
    expect(run).toThrow(message);
  });
});

describe("the table of fields", () => {
  it.each([
    [["steps", 0, "if"], "expression"],
    [["steps", 0, "then", 2, "retry", "only-when"], "expression"],
    [["steps", 0, "cases", 1, "if"], "expression"],
    [["steps", 0, "cases", 1, "then", 0, "note"], "template"],
    [["steps", 0, "together", "branches", "a", 0, "group", "steps", 1, "each"], "expression"],
    [["steps", 0, "ensure", "find", "using"], "credential"],
    [["steps", 0, "set", "steps", 0, "if"], "value"],
    [["steps", 0, "respond", "status"], "template"],
    [["steps", 0, "workflow", "name"], "workflow"],
    [["limits", "within"], "duration"],
    [["steps", 0, "step"], undefined],
    [["steps", 0, "then"], undefined],
    [["inputs", "properties", "if"], undefined],
  ])("knows what %j holds", (path, kind) => {
    expect(fieldAt(path as (string | number)[])).toBe(kind);
  });
});
