import { describe, expect, it } from "vitest";
import { readWorkflow } from "./read.js";

/** Files with one mistake each, as beginners make them: one message, at its place, that says what to write. */
describe("a file with one mistake", () => {
  const file = (text: string) => `copper-kettle: 1\nname: t\n${text}\n`;
  const said = (text: string) =>
    readWorkflow(file(text)).problems.map(
      ({ severity, line, column, message }) => `${line}:${column} ${severity}: ${message}`,
    );
  const wait = "{ step: w, wait: { for: 1s } }";
  const inputs = (properties: string) => `inputs: { type: object, required: [n], properties: ${properties} }`;

  it.each<[what: string, text: string, said: string | RegExp]>([
    [
      "a type that is none",
      `inputs: { type: object, properties: { n: { type: strng } } }\nsteps: [${wait}]`,
      '3:50 error: "type" must be one of string, number, integer, boolean, object, array, null; did you mean "string"?',
    ],
    [
      "names instead of a schema",
      `inputs: { email: string }\nsteps: [${wait}]`,
      "3:9 error: This is a JSON Schema: { type: object, properties: { email: { type: string } } }.",
    ],
    [
      "required where it is not",
      `inputs: { type: object, properties: { n: { type: string, required: true } } }\nsteps: [${wait}]`,
      /^3:\d+ error: "required" must be a list of names, and stands beside properties/,
    ],
    [
      "a kind instead of a schema",
      `inputs: { type: object, properties: { n: string } }\nsteps: [${wait}]`,
      /^3:\d+ error: A schema must be a mapping, such as \{ type: string \}/,
    ],
    [
      "a misspelt keyword",
      `inputs: { type: object, propertis: { n: { type: string } } }\nsteps: [${wait}]`,
      /^3:\d+ warning: "propertis" means nothing in a schema; did you mean "properties"\?/,
    ],
    [
      "a pattern that is none",
      `inputs: { type: object, properties: { n: { type: string, pattern: "(" } } }\nsteps: [${wait}]`,
      /must be a regular expression/,
    ],
    [
      "a schema of a response that is none",
      `responses: { "200": { type: objct } }\nsteps: [${wait}]`,
      /^3:29 error: "type" must be one of .* did you mean "object"\?/,
    ],
    [
      "a number as a condition",
      `${inputs("{ n: { type: integer } }")}\nsteps:\n  - { step: s, if: inputs.n, then: [${wait}] }`,
      "5:20 warning: A condition must be true or false; this is a number. Write inputs.n != 0.",
    ],
    [
      "a text as a condition",
      `${inputs("{ n: { type: string } }")}\nsteps:\n  - { step: w, wait: { for: 1s }, only-if: inputs.n }`,
      /Write inputs\.n != ""\./,
    ],
    ["if without then", "steps:\n  - step: s\n    if: size([1]) > 0", /^5:5 error: "then" is missing/],
    [
      "an expression with brackets inside of brackets",
      "steps:\n  - { step: s, note: x, only-if: size([1]) > 0 }",
      /^4:\d+ error: Inside \{ \} or \[ \], a value that holds \[ \] \{ \} : or , must be in quotes/,
    ],
    [
      "a condition that is always true",
      `steps:\n  - { step: s, if: true, then: [${wait}] }`,
      "4:20 warning: This is always true, so it decides nothing.",
    ],
    [
      "${ that is not closed",
      "steps:\n  - step: s\n    note: ${run.id",
      '5:11 error: A ${ is not closed: a } is missing behind "run.id".',
    ],
    [
      "a comment that was meant as a text",
      `${inputs("{ n: { type: string } }")}\nsteps:\n  - step: s\n    if: inputs.n == "x #1"\n    then: [${wait}]`,
      `6:9 error: To YAML, what follows " #" is a comment. Put the expression in quotes: 'inputs.n == "x #1"'.`,
    ],
    [
      "a text with a colon",
      "steps:\n  - step: s\n    title: Hello: world\n    note: x",
      '5:5 error: A text that holds ": " must be in quotes: title: "Hello: world".',
    ],
    [
      "a line that is indented too little",
      "steps:\n  - step: s\n    request: GET https://a.example\n   headers: { A: b }",
      /^6:1 error: This line is not indented like those/,
    ],
    [
      "a line that is indented too much",
      "steps:\n  - step: s\n    if: size([1]) > 0\n      then: []",
      /^6:7 error: This line is indented further than the one before it/,
    ],
    [
      "an item that is indented otherwise",
      "steps:\n  - step: s\n    note: x\n - step: t\n   note: y",
      /^6:1 error: This line is not indented/,
    ],
    [
      "a key without a colon",
      "steps:\n  - step s\n    note: x",
      "4:3 error: A key and its value have a : between them: step: s.",
    ],
    [
      "a quote that is not closed",
      'steps:\n  - step: s\n    note: "a',
      '5:11 error: This " is not closed by another.',
    ],
    ["a bracket that is not closed", "steps:\n  - { step: s, note: a", "4:5 error: This { is not closed."],
    ["tabs", "steps:\n\t- step: s\n\t  note: x", "4:1 error: YAML is indented with spaces, not with tabs."],
    [
      "a key twice",
      "steps:\n  - step: s\n    note: x\n    note: y",
      '6:5 error: The key "note" is used twice.',
    ],
    ["a star that begins a value", "steps:\n  - step: s\n    note: *x", /begins with \* is an alias/],
    ["a step without its list", "step: s\nnote: x", /^3:1 error: Steps stand in a list under "steps"/],
    [
      "a field that there is not",
      `${inputs("{ n: { type: object, properties: { email: { type: string } } } }")}\nsteps:\n  - { step: s, note: "\${inputs.n.emial}" }`,
      /^5:\d+ warning: inputs\.n has no "emial" in its schema; did you mean "email"\?/,
    ],
  ])("%s", (_what, text, message) => {
    const problems = said(text);
    expect(problems).toHaveLength(1);
    if (typeof message === "string") expect(problems[0]).toBe(message);
    else expect(problems[0]).toMatch(message);
  });

  it("what a message proposes can be pasted", () => {
    for (const text of ['inputs.n == "x #1"', 'inputs.n == "it\'s #1"', "size([1]) > 0 # x"]) {
      const head = `${inputs("{ n: { type: string } }")}\nsteps:\n  - step: s\n    if: `;
      const [problem] = readWorkflow(file(`${head}${text}\n    then: [${wait}]`)).problems;
      const proposed = /quotes: (.*)\.$/.exec(problem?.message ?? "")?.[1] ?? "";
      const { problems } = readWorkflow(file(`${head}${proposed}\n    then: [${wait}]`));
      expect(problems.filter(({ code }) => code.startsWith("yaml"))).toEqual([]);
    }
  });

  it("says nothing of what is right", () => {
    const rates =
      "{ type: array, items: { type: object, required: [code], properties: { code: { type: string } } } }";
    expect(
      said(`inputs: { type: object, properties: { rates: ${rates} } }
steps:
  - step: s
    each: default(inputs.rates, [])
    as: r
    steps: [{ step: q, note: "\${r.code}" }]`),
    ).toEqual([]);
    expect(
      said(`inputs:
  type: [object]
  title: Guest
  $defs: { id: { type: string, pattern: "^g-[0-9]+$" } }
  properties: { id: { $ref: "#/$defs/id" }, at: { type: string, format: date-time }, n: { anyOf: [{ type: integer, minimum: 0 }, { type: "null" }] } }
  additionalProperties: false
  x-own: 1
steps: [${wait}]`),
    ).toEqual([]);
  });
});
