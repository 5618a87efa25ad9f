import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { compile } from "../expressions/compile.js";
import type { ExpressionError } from "../expressions/errors.js";
import { evaluateToJson } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { readWorkflow } from "../workflows/read.js";
import type { Json } from "../values/json.js";
import { checkShapes } from "./check.js";
import { inferShape } from "./infer.js";
import { ofSchema, type Shape } from "./shape.js";

const samples: Json[] = [
  { a: { b: 1, n: null, deep: { c: 2 } }, list: [{ k: "x", m: null }, { k: null }], id: "g-1" },
  { a: { n: 3 }, list: null },
];
const scope = new Map<string, Shape>([
  ["v", ofSchema({ ...inferShape(samples), "x-ckettle-inferred": true })],
]);
const found = (text: string) =>
  checkShapes(compile(text), scope).findings.map(
    ({ code, start, end }) => `${code} ${text.slice(start, end)}`,
  );

describe("the check knows what a condition has asked for", () => {
  it.each<[string, string[]]>([
    ["v.a.b > 1", ["absent v.a.b"]],
    ["has(v.a.b) && v.a.b > 1", []],
    ["v.a.b > 1 && has(v.a.b)", []],
    ["has(v.a.b) ? v.a.b : 0", []],
    ["has(v.a.b) ? 0 : v.a.b", ["absent v.a.b"]],
    ["!has(v.a.b) || v.a.b > 1", []],
    ["!(has(v.a.b) && has(v.id)) ? 0 : v.a.b + size(v.id)", []],
    ["has(v.a.b) || v.a.b > 1", ["absent v.a.b"]],
    ["'b' in v.a && v.a.b > 1", []],
    ["v.a.n > 1", ["null v.a.n"]],
    ["has(v.a.n) && v.a.n > 1", ["null v.a.n"]],
    ["v.a.n != null && v.a.n > 1", []],
    ["v.a.n == null || v.a.n > 1", []],
    ["v.a.n == null ? 0 : v.a.n + 1", []],
    ["null != v.a.n ? v.a.n + 1 : 0", []],
    ["v.a.n == 3 && v.a.n > 1", []],
    ["v.a.n != 3 && v.a.n > 1", ["null v.a.n"]],
    ["v.a.n > 0 && v.a.n > 0", ["null v.a.n"]],
    ["v.a.b > 0 && v.a.b != null", ["absent v.a.b"]],
    ["5 > size(default(v.list, [])) && v.list[0].k == 'x'", ["null v.list[0]"]],
    ["0 < size(default(v.list, [])) && v.list[0].k == 'x'", []],
    ["size(default(v.list, [])) >= 0 && v.list[0].k == 'x'", ["null v.list[0]"]],
    ["v.a.n in [1, 2] && v.a.n > 1", []],
    ["default(v.a.b, null) != null && v.a.b > 1", []],
    ["default(v.a.b, 0) == 1 && v.a.b > 0", []],
    ["default(v.a.b, 0) == 0 && v.a.b > 0", ["absent v.a.b"]],
    ["default(v.id, '') != '' && v.id.contains('g')", []],
    ["size(default(v.list, [])) > 0 && v.list[0].k == 'x'", []],
    ["size(default(v.list, [])) == 0 && v.list[0].k == 'x'", ["null v.list[0]"]],
    ["has(v.a.deep.c) && v.a.deep.c > 1", []],
    ["default(v.list, []).map(x, x.k)", []],
    ["default(v.list, []).map(x, x.kk)", ["unknown-field kk"]],
    ["default(v.list, []).map(x, upper(x.k))", ["null x.k"]],
    ["default(v.list, []).filter(x, x.k != null).map(x, upper(x.k))", []],
    ["default(v.list, []).map(x, x.k != null, upper(x.k))", []],
    ["default(v.list, []).filter(x, has(x.m)).map(y, y.m)", []],
    ["default(v.list, []).exists(x, has(x.m) && x.m == null)", []],
    ["has(v.zzz) && v.zzz > 1", []],
    ["has(v.a.b) && v.list.exists(v, v.kk == 1)", ["null v.list", "unknown-field kk"]],
  ])("%s", (text, findings) => {
    expect(found(text)).toEqual(findings);
  });

  it("is silent only where nothing fails: by every sample", () => {
    const guards = [
      "has(v.a.b)",
      "v.a.n != null",
      "v.a.n == 3",
      "'b' in v.a",
      "default(v.a.b, 0) == 1",
      "has(v.id)",
    ];
    const uses = ["v.a.b > 0", "v.a.n > 0", "v.id == 'g-1'", "v.a.b + v.a.n > 1"];
    const joined = fc.letrec<{ all: string }>((tie) => ({
      all: fc.oneof(
        { maxDepth: 3 },
        fc.constantFrom(...guards, ...uses),
        fc
          .tuple(tie("all"), fc.constantFrom("&&", "||"), tie("all"))
          .map(([a, sign, b]) => `(${a} ${sign} ${b})`),
        tie("all").map((one) => `!(${one})`),
        fc.tuple(tie("all"), tie("all"), tie("all")).map(([a, b, c]) => `(${a} ? ${b} : ${c})`),
      ),
    })).all;
    let silent = 0;
    fc.assert(
      fc.property(joined, fc.constantFrom(...samples), (text, v) => {
        const expression = compile(text);
        if (checkShapes(expression, scope).findings.length > 0) return;
        silent++;
        try {
          evaluateToJson(expression, { v } as ValueMap, { now: () => 0, uuid: () => "" });
        } catch (error) {
          expect.fail(`${text} of ${JSON.stringify(v)}: ${(error as ExpressionError).message}`);
        }
      }),
      { numRuns: 5_000 },
    );
    expect(silent).toBeGreaterThan(300);
  });

  it("reads long conditions around many steps without an end of the stack", () => {
    const long = Array.from({ length: 300 }, (_, index) => `has(inputs.a.k${index})`).join(" && ");
    const pad = (depth: number) => "  ".repeat(depth);
    let text = "copper-kettle: 1\nname: long\nsteps:\n";
    for (let at = 0; at < 12; at++)
      text += `${pad(2 * at + 1)}- step: i${at}\n${pad(2 * at + 2)}if: ${long}\n${pad(2 * at + 2)}then:\n`;
    for (let at = 0; at < 100; at++) text += `${pad(25)}- { step: s${at}, note: "\${inputs.a.k1}" }\n`;
    expect(() => readWorkflow(text)).not.toThrow();
  });

  it("in a file, too: only-if, if, else, cases", () => {
    const file = (...steps: string[]) => `copper-kettle: 1
name: guarded
inputs:
  type: object
  required: [a]
  properties: { a: { type: object, required: [c], properties: { b: { type: number }, c: { type: number }, n: { type: [number, "null"] } } } }
steps:
${steps.map((step) => `  - ${step}\n`).join("")}`;
    const advice = (...steps: string[]) =>
      readWorkflow(file(...steps))
        .problems.filter(({ code }) => code !== "unused")
        .map(({ message }) => /"?[\w.]+"? may be (absent|null)/.exec(message)?.[0] ?? message);
    const use = (only = "") => `{ step: s, set: { x: "\${inputs.a.b + 1}" }${only} }`;
    expect(advice(use())).toEqual(['"b" may be absent']);
    expect(advice(use(", only-if: has(inputs.a.b)"))).toEqual([]);
    expect(advice(`{ step: i, if: has(inputs.a.b), then: [${use()}] }`)).toEqual([]);
    expect(
      advice(`{ step: i, if: "!has(inputs.a.b)", then: [{ step: t, set: { y: 1 } }], else: [${use()}] }`),
    ).toEqual([]);
    expect(
      advice(`{ step: i, if: has(inputs.a.b), then: [{ step: t, set: { y: 1 } }], else: [${use()}] }`),
    ).toEqual(['"b" may be absent']);
    expect(
      advice(
        `{ step: i, cases: [{ if: "!has(inputs.a.b)", then: [{ step: t, set: { y: 1 } }] }, { if: inputs.a.b > 1, then: [${use()}] }] }`,
      ),
    ).toEqual([]);
    expect(advice(use(", only-if: has(inputs.a.b)"), use().replace("step: s", "step: t"))).toEqual([
      '"b" may be absent',
    ]);
  });
});
