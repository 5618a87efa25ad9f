import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { complete, completeTemplate } from "./complete.js";
import { anything, listOf, ofKind, ofValue, objectOf, type Shape } from "./shape.js";
import { withShown } from "./shown.js";

const body = { items: [{ id: "g-1", "odd key": 1, hut: { name: "Corrie" } }], total: 2 };
const scope = new Map<string, Shape>([
  ["inputs", objectOf({ email: ofKind("text") })],
  ["steps", objectOf({ guest: objectOf({ status: ofKind("number"), body: ofValue(body) }) })],
]);
/** What is offered at the caret, which stands as a bar in the text. */
const offered = (marked: string) => {
  const caret = marked.indexOf("|");
  return complete(marked.replace("|", ""), caret, scope).options.map(({ text }) => text);
};

describe("completion", () => {
  it.each<[string, string[], string[]]>([
    ["|", ["inputs", "steps", "default", "size", "math", "true"], ["startsWith", "map"]],
    ["st|", ["steps", "string"], ["inputs"]],
    ["steps.|", ["guest"], ["inputs", "size2"]],
    ["steps.guest.b|", ["body"], ["status"]],
    ["steps.guest.body.items[0].|", ["id", "hut"], ["odd key", "map2"]],
    ["steps.guest.body.items.|", ["map", "filter", "first", "size"], ["id", "startsWith", "getFullYear"]],
    ["steps.guest.body.items.map(i, i.|", ["id", "hut"], ["total"]],
    ["steps.guest.body.items.map(i, i.hut.|)", ["name"], ["id"]],
    ["steps.guest.body.items.filter(i, i.id == 'x').map(j, j.h|", ["hut"], ["id"]],
    ["steps.guest.body.items.transformList(n, v, v.|", ["id"], []],
    ["inputs.email.|", ["upper", "split", "startsWith"], ["map", "getFullYear", "orValue"]],
    ["inputs.email.up| + 1", ["upper", "upperAscii"], ["split"]],
    ["size(inputs.|", ["email"], []],
    ["math.|", ["least", "round"], ["size", "email"]],
    ["math.ro|", ["round"], ["least"]],
    ["cel.|", ["bind"], ["size"]],
    ["steps.?guest.body.to|", ["total"], []],
    ["1 + steps.guest.|", ["status", "body"], []],
    ["{'a': inputs.|", ["email"], []],
    ["inputs.email == 'x' ? inputs.| : 1", ["email"], []],
    ["'a string with inputs.|", [], ["email"]],
    ["12|", [], ["inputs"]],
    ["unknown.thing.|", ["map", "size"], ["email"]],
  ])("%s", (text, some, none) => {
    const options = offered(text);
    expect(options).toEqual(expect.arrayContaining(some));
    for (const one of none) expect(options).not.toContain(one);
  });

  it("says what a field is and how a function is called, and what to replace", () => {
    expect(complete("steps.guest.body.tota", 20, scope)).toMatchObject({
      from: 17,
      to: 21,
      options: [{ text: "total", kind: "field", detail: "number" }],
    });
    expect(complete("inputs.email.padS", 17, scope).options[0]).toMatchObject({
      detail: "padStart(value, length, [with])",
      help: expect.stringContaining("filled from the left") as string,
    });
  });

  it("within a template only in its parts", () => {
    const at = (marked: string) =>
      completeTemplate(marked.replace("|", ""), marked.indexOf("|"), scope).options.map(({ text }) => text);
    expect(at("Dear ${inputs.|")).toContain("email");
    expect(at("Dear ${inputs.em|}, hello")).toEqual(["email"]);
    expect(at("Dear inputs.|")).toEqual([]);
    expect(at("${inputs.email} and inputs.|")).toEqual([]);
    expect(at("$${inputs.|")).toEqual([]);
  });

  it("works on any text at any place", () => {
    const words = [
      "steps",
      ".",
      "guest",
      "(",
      ")",
      "[0]",
      "map(i, ",
      "'",
      '"',
      "+",
      " ",
      "?",
      "}",
      "🙂",
      "${",
      "items",
    ];
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...words), { maxLength: 12 }), fc.nat(40), (parts, caret) => {
        const text = parts.join("");
        const at = Math.min(caret, text.length);
        for (const found of [complete(text, at, scope), completeTemplate(text, at, scope)]) {
          expect(found.from).toBeLessThanOrEqual(at);
          expect(found.to).toBeGreaterThanOrEqual(at);
        }
      }),
      { numRuns: 1_000 },
    );
  });

  it("offers what values show where nothing else is known, and keeps what is", () => {
    const known = new Map<string, Shape>([
      ["hut", anything],
      [
        "steps",
        objectOf({
          guest: objectOf({ body: anything, rows: listOf(() => objectOf({ beds: ofKind("number") })) }),
        }),
      ],
    ]);
    const shown = withShown(known, {
      hut: { name: "corrie", boards: [{ url: "x" }] },
      steps: { guest: { body: { items: [{ email: "a" }] }, rows: [{ beds: "three", open: true }] } },
    });
    const fields = (text: string) =>
      complete(text, text.length, shown)
        .options.filter(({ kind }) => kind === "field")
        .map((one) => `${one.text} ${one.detail}`);
    expect(fields("hut.")).toEqual([
      expect.stringMatching(/^name text/),
      expect.stringMatching(/^boards list/),
    ]);
    expect(fields("hut.boards[0].")).toEqual([expect.stringMatching(/^url text/)]);
    expect(fields("steps.guest.body.items[0].")).toEqual([expect.stringMatching(/^email text/)]);
    expect(fields("steps.guest.rows[0].")).toEqual([
      expect.stringMatching(/^beds number/),
      expect.stringMatching(/^open boolean/),
    ]);
    expect(complete("hut.na", 6, shown).of).toBe("hut");
    expect(complete("hu", 2, shown).of).toBeUndefined();
  });
});
