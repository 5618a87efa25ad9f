import { describe, expect, it } from "vitest";
import { outline } from "./outline.js";
import { printProblem } from "./problems.js";
import { readWorkflow } from "./read.js";

const file = (steps: string, head = ""): string => `copper-kettle: 1\nname: test\n${head}steps:\n${steps}`;
const problems = (text: string): string[] =>
  readWorkflow(text).problems.map((problem) => printProblem(problem, "f"));
const only = (steps: string, head = ""): string => {
  const found = problems(file(steps, head));
  expect(found).toHaveLength(1);
  return found[0] as string;
};

describe("a workflow file", () => {
  it("is read with every step kind, in YAML and in JSON alike", () => {
    const text = file(
      `  - { step: a, request: "GET https://stays.example/guests?x=\${inputs.x}", retry: { waits: [5s, 1m], when: status == 404 } }
  - step: b
    if: size(steps.a.body) > 0
    then: [{ step: c, set: { n: 1 } }]
    else: [{ step: d, note: "none" }]
  - step: e
    each: steps.a.body
    as: row
    parallel: 3
    collect: row.id
    steps: [{ step: f, wait: { for: 1s } }]
  - { step: g, respond: { status: 201, body: { n: "\${variables.n}" } } }
  - { step: h, fail: "at \${now()}" }
`,
      "inputs: { type: object, properties: { x: { type: string } } }\n",
    );
    const yaml = readWorkflow(text);
    expect(yaml.problems).toEqual([]);
    expect(
      outline(yaml.workflow?.steps ?? []).map(
        (line) => `${line.line} ${line.depth} ${line.kind} ${line.name}`,
      ),
    ).toEqual([
      "5 0 request a",
      "6 0 if b",
      "8 1 set c",
      "9 1 note d",
      "10 0 each e",
      "15 1 wait f",
      "16 0 respond g",
      "17 0 fail h",
    ]);
    const json = JSON.stringify(
      { "copper-kettle": 1, name: "test", steps: [{ step: "a", note: "hi" }] },
      undefined,
      2,
    );
    expect(readWorkflow(json).workflow?.steps).toHaveLength(1);
  });

  it("keeps the digits of long numbers", () => {
    const { workflow } = readWorkflow(
      file("  - { step: a, respond: { body: { id: 12345678901234567890 } } }\n"),
    );
    expect(JSON.stringify(workflow?.steps[0])).toContain("12345678901234567000");
    expect(
      String((workflow?.steps[0] as unknown as { body: { constant: { id: unknown } } }).body.constant.id),
    ).toBe("12345678901234567890");
  });

  it.each([
    [
      "an unknown key, with the right word",
      "  - { step: a, note: x, titel: y }\n",
      'f:4:25: error: There is no key "titel" here; did you mean "title"?',
    ],
    [
      "an unknown key deep inside",
      "  - { step: a, request: GET https://a.example, retry: { tiems: 3 } }\n",
      'There is no key "tiems" here; did you mean "times"?',
    ],
    ["an unknown kind", "  - { step: a, requst: GET https://a.example }\n", 'did you mean "request"?'],
    [
      "no kind",
      "  - { step: a }\n",
      "It needs one of: request, operation, if, cases, group, together, ensure, workflow, remember, each",
    ],
    ["two kinds", "  - { step: a, note: x, set: { b: 1 } }\n", "this one has two: set and note"],
    [
      "a duplicate name",
      "  - { step: a, note: x }\n  - { step: a, note: y }\n",
      'f:5:13: error: There is already a step "a"',
    ],
    ["a name with a dash", "  - { step: a-b, note: x }\n", "letters, digits and _"],
    [
      "a name that is a word of the language",
      "  - { step: in, note: x }\n",
      "no word of the expression language",
    ],
    ["a bad duration", "  - { step: a, wait: { for: 5 minutes } }\n", "Did you mean 5m?"],
    ["a wait for nothing", "  - { step: a, wait: {} }\n", 'either "for"'],
    [
      "a number for a duration",
      "  - { step: a, wait: { for: 10 } }\n",
      '"for" must be a text; it is a number.',
    ],
    [
      "a step that comes later",
      '  - { step: a, note: "${steps.b.body}" }\n  - { step: b, note: x }\n',
      'f:4:25: error: Step "b" does not come before this one',
    ],
    [
      "a step that does not exist",
      '  - { step: gust, note: x }\n  - { step: b, note: "${steps.gest}" }\n',
      'did you mean "gust"?',
    ],
    [
      "a step inside a loop that is over",
      "  - { step: a, each: '[1]', steps: [{ step: b, note: x }] }\n  - { step: c, note: '${steps.b}' }\n",
      "inside a loop that is over",
    ],
    [
      "a step without steps.",
      "  - { step: a, note: x }\n  - { step: b, if: a == 1 }\n",
      "its outcome is steps.a",
    ],
    ["status outside of a call", "  - { step: b, if: status == 1 }\n", "known only in success and retry"],
    ["an unknown name", "  - { step: b, note: '${input.x}' }\n", 'did you mean "inputs"?'],
    [
      "an input that is not described",
      "  - { step: b, note: '${inputs.emial}' }\n",
      'did you mean "email"?',
      "inputs: { type: object, properties: { email: { type: string } } }\n",
    ],
    ["inputs where there are none", "  - { step: b, note: '${inputs.email}' }\n", "has no inputs"],
    ["an unclosed part", "  - { step: b, note: 'Hi ${now(' }\n", "not closed"],
    ["a template in a condition", '  - { step: b, if: "${1 == 1}" }\n', "leave out ${"],
    ["= for ==", "  - { step: b, if: 1 = 1 }\n", "write == to compare"],
    ["a list for an expression", "  - { step: b, if: [1] }\n", "put it in quotes"],
    ["a tag for an expression", "  - step: b\n    if: !x\n", 'Put it in quotes: "!x"'],
    [
      "an alias for an expression",
      "  - { step: a, set: { x: &one 1 } }\n  - { step: b, if: *one }\n",
      "alias",
    ],
    [
      "an expression that a comment cuts",
      "  - step: b\n    if: 1 == 1 # always\n",
      'what follows " #" is a comment',
    ],
    [
      "an unquoted part in a flow mapping",
      "  - { step: b, set: { a: ${now()} } }\n",
      'must be in quotes: "${now()}"',
    ],
    ["a tab", "  - step: b\n\tnote: x\n", "not with tabs"],
    [
      "a method in small letters",
      "  - { step: b, request: get https://a.example }\n",
      "GET https://a.example",
    ],
    ["a URL without a method", "  - { step: b, request: https://a.example }\n", "GET https://a.example"],
    [
      "set in a loop with items side by side",
      "  - { step: a, each: '[1]', parallel: 2, steps: [{ step: b, set: { x: 1 } }] }\n",
      "overwrite each other",
    ],
    [
      "waits beside times",
      "  - { step: a, request: GET https://a.example, retry: { waits: [1s], times: 2 } }\n",
      "cannot be used with it",
    ],
    [
      "a wrong word",
      '  - { step: a, each: "[1]", if-one-fails: contine, steps: [] }\n',
      "did you mean continue?",
    ],
    ["an unknown function", "  - { step: a, note: '${uper(1)}' }\n", 'did you mean "upper"?'],
  ])("says where and what: %s", (_what, steps, message, head = "") => {
    const said = problems(file(steps, head)).join("\n");
    expect(said).toContain(message);
  });

  it("says each of several problems, in the order of the file", () => {
    const said = problems(
      "copper-kettle: 2\nname: Bad Name\nlimits: { parallel: 0 }\nsteps:\n  - { step: a, nte: x }\n",
    );
    expect(said.map((line) => line.split(":").slice(1, 3).join(":"))).toEqual([
      "1:16",
      "2:7",
      "3:21",
      "5:16",
    ]);
  });

  it("wants its marker, and to be a mapping", () => {
    expect(problems("name: a\nsteps: []\n").join()).toContain("copper-kettle: 1");
    expect(problems("just text").join()).toContain("a mapping that begins");
    expect(problems("").length).toBeGreaterThan(0);
  });

  it("survives a file that blows up, and one that is far too long", () => {
    const bomb = `a: &a [1,1,1,1,1,1,1,1,1,1]\n${"bcdefgh"
      .split("")
      .map((letter, index) => `${letter}: &${letter} [${Array(10).fill(`*${"abcdefg"[index]}`).join(",")}]`)
      .join("\n")}\n`;
    expect(problems(bomb).join()).toContain("more than");
    expect(problems(`# ${"x".repeat(2_100_000)}`).join()).toContain("2000000 characters");
  });

  it("narrows a problem to the part of the text that is at fault", () => {
    expect(only('  - { step: a, note: "Hello ${ nobody } there" }\n')).toMatch(/^f:4:32: /);
  });
});

describe("a value of several forms", () => {
  const problemsOf = (more: string): string =>
    readWorkflow(
      `copper-kettle: 1\nname: test\nsteps:\n  - { step: a, request: GET https://a.example/x, ${more} }\n`,
    )
      .problems.map(({ message }) => message)
      .join(" ");

  it.each([
    ["pages: { by: cursor, itmes: body.items }", 'There is no key "itmes" here; did you mean "items"?'],
    ["pages: { by: pgae }", '"by" must be link or cursor or page or offset; did you mean page?'],
    ['pages: { by: page, size: "${inputs.size}" }', '"size" must be a number; it is a text.'],
    ["read: { csv: { seperator: ';' } }", 'There is no key "seperator" here; did you mean "separator"?'],
    ["read: jsno", '"read" must be json'],
    ["using: [a, 7]", '"1" must be a text; it is a number.'],
  ])("is at fault by the form that it comes nearest to: %s", (more, message) => {
    expect(problemsOf(more)).toContain(message);
  });
});
