import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Operation } from "../apis/openapi.js";
import { completeFile, type FileNames } from "./complete.js";

const operation = {
  id: "addGuest",
  parameters: [
    { name: "hut", in: "path", required: true, title: "Hut" },
    { name: "order", in: "query", required: false, title: "Order", choices: ["eldest", "newest"] },
  ],
  body: {
    required: true,
    content: [
      {
        type: "application/json",
        schema: {
          properties: {
            email: { type: "string", description: "Where to write to" },
            address: { properties: { street: {} } },
          },
          required: ["email"],
        },
      },
    ],
  },
} as unknown as Operation;
const names: FileNames = {
  credentials: [{ name: "stays-key", kind: "bearer", hosts: ["stays.example"] }],
  workflows: [{ name: "greet-guest", title: "Greet", inputs: ["email", "hut"] }],
  apis: [
    {
      name: "stays",
      operations: [{ id: "addGuest", method: "POST", path: "/huts/{hut}/guests", title: "Add" }],
    },
  ],
  operation: (name) => (name === "stays.addGuest" ? operation : undefined),
};
const head = "copper-kettle: 1\nname: a\n";
/** The text after the first, or the named, choice at the caret `|` is taken. */
function taken(text: string, choice?: string): string {
  const at = text.indexOf("|");
  const whole = text.replace("|", "");
  const { from, to, options } = completeFile(whole, at, names);
  const option = choice === undefined ? options[0] : options.find(({ label }) => label === choice);
  return `${whole.slice(0, from)}${option?.text ?? "?"}${whole.slice(to)}`;
}
const labels = (text: string): string[] =>
  completeFile(text.replace("|", ""), text.indexOf("|"), names).options.map(({ label }) => label);

describe("completion in the text of a file", () => {
  it("offers the keys of the file that are not there yet", () => {
    expect(labels(`${head}|`)).toEqual(expect.arrayContaining(["title", "inputs", "triggers", "steps"]));
    expect(labels(`${head}|`)).not.toContain("name");
    expect(labels(`${head}  | `)).toEqual([]);
  });

  it("offers the kinds of steps, and then what a step of its kind may have", () => {
    expect(labels(`${head}steps:\n  - |`)[0]).toBe("step");
    const kinds = labels(`${head}steps:\n  - step: b\n    |`);
    expect(kinds.slice(0, 2)).toEqual(["request", "operation"]);
    expect(kinds).toEqual(expect.arrayContaining(["each", "together", "only-if", "catch"]));
    const fields = labels(`${head}steps:\n  - { step: b, request: GET https://stays.example, | }`);
    expect(fields).toEqual(expect.arrayContaining(["using", "query", "retry", "body"]));
    expect(fields).not.toContain("operation");
    expect(fields).not.toContain("request");
    expect(labels(`${head}steps:\n  - step: b\n    request: GET https://a\n    retry:\n      |`)).toContain(
      "when",
    );
  });

  it("knows the step in branches, cases, groups, loops and catches", () => {
    const inner = "- { step: b, set: {}, | }";
    for (const way of [
      `- step: a\n    if: "true"\n    then:\n      ${inner}`,
      `- step: a\n    cases:\n      - if: "true"\n        then:\n          ${inner}`,
      `- step: a\n    group:\n      steps:\n        ${inner}`,
      `- step: a\n    together:\n      branches:\n        one:\n          ${inner}`,
      `- step: a\n    each: inputs.x\n    steps:\n      ${inner}`,
      `- step: a\n    note: x\n    catch:\n      ${inner}`,
    ]) {
      const found = labels(`${head}steps:\n  ${way}\n`);
      expect(found, way).toContain("only-if");
      expect(found, way).not.toContain("request");
    }
  });

  it("offers what triggers hold, by their kind", () => {
    expect(labels(`${head}triggers:\n  night:\n    |`)).toEqual(
      expect.arrayContaining(["schedule", "webhook", "poll", "by-hand"]),
    );
    const webhook = labels(`${head}triggers:\n  hook:\n    webhook: { path: x, | }\n`);
    expect(webhook).toContain("verify");
    expect(labels(`${head}triggers:\n  hook:\n    webhook: { path: x, verify: { bearer: | } }\n`)).toEqual([
      "stays-key",
    ]);
  });

  it("offers credentials, operations with their parameters and bodies, workflows with their inputs", () => {
    const step = `${head}steps:\n  - step: b\n    operation: stays.addGuest\n`;
    expect(taken(`${head}steps:\n  - { step: b, operation: st| }`)).toContain("operation: stays.addGuest }");
    expect(taken(`${step}    using: s|tays`)).toBe(`${step}    using: stays-key`);
    expect(labels(`${step}    parameters: { | }`)).toEqual(["hut", "order"]);
    expect(labels(`${step}    parameters: { order: | }`)).toEqual(["eldest", "newest"]);
    expect(labels(`${step}    body:\n      json:\n        |`)).toEqual(["email", "address"]);
    expect(labels(`${step}    body: { json: { email: x, | } }`)).toEqual(["address"]);
    expect(labels(`${step}    body: { json: { address: { | } } }`)).toEqual(["street"]);
    expect(labels(`${head}steps:\n  - { step: c, workflow: { name: | } }`)).toEqual(["greet-guest"]);
    expect(labels(`${head}steps:\n  - { step: c, workflow: { name: greet-guest, inputs: { | } } }`)).toEqual([
      "email",
      "hut",
    ]);
  });

  it("offers choices, methods and words of JSON Schema, and nothing in texts and comments", () => {
    expect(labels(`${head}steps:\n  - { step: b, each: x, if-one-fails: | }`)).toEqual(["stop", "continue"]);
    expect(taken(`${head}steps:\n  - { step: b, request: P| }`, "PUT")).toContain("request: PUT  }");
    expect(labels(`${head}inputs:\n  properties:\n    hut: { type: | }`)).toContain("integer");
    expect(labels(`${head}inputs:\n  properties:\n    hut: { | }`)).toContain("description");
    expect(labels(`${head}inputs:\n  properties:\n    |`)).toEqual([]);
    expect(labels(`${head}# steps and |`)).toEqual([]);
    expect(labels(`${head}steps:\n  - { step: b, note: "one, |" }`)).toEqual([]);
  });

  it("puts a word in the place of the one at the caret, with one colon", () => {
    expect(taken(`${head}st|: []`, "steps")).toBe(`${head}steps: []`);
    expect(taken(`${head}st|ps: []`, "steps")).toBe(`${head}steps: []`);
    expect(taken(`${head}ti|`, "title")).toBe(`${head}title: `);
  });

  it("works on any text at any place", () => {
    const bits = fc.constantFrom(
      "steps:\n",
      "  - ",
      "step: a\n",
      "{",
      "}",
      "[",
      ",",
      '"',
      "'",
      ": ",
      "\n",
      "${",
      "&a ",
      "*a ",
      "using: ",
      "    ",
      "|\n",
      "? ",
    );
    fc.assert(
      fc.property(fc.array(bits, { maxLength: 25 }), fc.nat(200), (parts, at) => {
        const text = head + parts.join("");
        const { from, to } = completeFile(text, Math.min(at, text.length), names);
        expect(from).toBeLessThanOrEqual(to);
      }),
      { numRuns: 2_000 },
    );
  });
});
