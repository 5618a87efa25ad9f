import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { compile } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { evaluateToJson } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import type { Json } from "../values/json.js";
import { checkShapes } from "./check.js";
import { inferShape } from "./infer.js";
import { ofSchema, ofValue, type Shape } from "./shape.js";

const sample: Json = {
  items: [
    { id: "g-1", age: 30, hut: { name: "Corrie", beds: 12 }, tags: ["early"], email: "odd@huts.example" },
    { id: "g-2", age: null, hut: null, tags: [], note: "late" },
  ],
  next: null,
  total: 2,
};
const schema = { ...inferShape([sample]), "x-ckettle-inferred": true };
const scope = new Map<string, Shape>([
  ["body", ofSchema(schema)],
  [
    "guest",
    ofSchema({ type: "object", properties: { id: { type: "string" }, state: { enum: ["open", "closed"] } } }),
  ],
  ["any", ofSchema({})],
]);
const found = (text: string) =>
  checkShapes(compile(text), scope).findings.map(
    ({ code, start, end }) => `${code} ${text.slice(start, end)}`,
  );

describe("the check of expressions against shapes", () => {
  it.each<[string, string[]]>([
    ["body.items[0].id", []],
    ["body.item[0].id", ["unknown-field item"]],
    ["body.items[0].ids", ["unknown-field ids"]],
    ["body.items[0].hut.name", ["null body.items[0].hut.name"]],
    ["default(body.items[0].hut.name, '')", []],
    ["default(body.item[0].id, '')", ["misspelt item"]],
    ["default(guest.staet, '') == '' || has(guest.St_ate)", ["misspelt staet", "misspelt St_ate"]],
    ["default(guest.estate, '') + default(guest.nme, '') + default(guest.idd, '')", ["misspelt estate"]],
    ["default(guest.colour, '') + default(guest.stairs, '')", []],
    ["body.items[0].?hut.?name.orValue('')", []],
    ["body.items.map(i, i.hut.beds)", ["null i.hut.beds"]],
    ["body.items.filter(i, i.id == 'g-1').map(i, i.idd)", ["unknown-field idd"]],
    ["body.items[0].note", ["absent body.items[0].note"]],
    ["has(body.items[0].note) ? 1 : 2", []],
    ["body.items[0].age > 18", ["null body.items[0].age"]],
    ["default(body.items[0].age, 0) > 18", []],
    ["body.items[0].id * 2", ["wrong-kind body.items[0].id"]],
    ["body.total.name", ["wrong-kind body.total.name"]],
    ["number(body.items[0].tags)", ["wrong-kind body.items[0].tags"]],
    ["number(body.items[0].tags, 0) + 1", []],
    ["number(body.items[0].id, null) + 1", ["null number(body.items[0].id, null)"]],
    ["upper(body.total)", ["wrong-kind body.total"]],
    ["body.total.map(x, x)", ["wrong-kind body.total"]],
    ["body.items + 1", ["wrong-kind body.items + 1"]],
    ["body.total == '2'", ["never body.total == '2'"]],
    ["body.total == 2", []],
    ["body.next == null", []],
    ["guest.state == 'opn'", ["never 'opn'"]],
    ["'x' != guest.state", ["never 'x'"]],
    ["guest.nme", ["unknown-field nme"]],
    ["body.total ? 1 : 2", ["wrong-kind body.total"]],
    ["true ? 1 : 2", ["never true"]],
    ["body.items.exists(i, i.id)", ["wrong-kind i.id"]],
    ["body.items.sumBy(i, i.id)", ["wrong-kind i.id"]],
    ["body.items.sumBy(i, default(i.age, 0)) + 'x'", []],
    ["body.items.groupBy(i, i.id)[0].items[0].idd", ["unknown-field idd"]],
    ["body.items.sortBy(i, i.id).first().value().idd", ["unknown-field idd"]],
    ["cel.bind(x, body.total, 5)", ["unused x"]],
    ["cel.bind(x, body.items, x[0].idd)", ["unknown-field idd"]],
    ["body['items'][0]['idd']", ["unknown-field 'idd'"]],
    ["body.items['x']", ["wrong-kind body.items['x']"]],
    ["any.thing[0].goes + 1", []],
    ["split(body.items[0].id, '-')[0] + 1", []],
    ["{'a': body.total}.b", ["unknown-field b"]],
    ["[1, 2].map(x, x.y)", ["wrong-kind x.y"]],
    ["body.total < 'a'", ["wrong-kind body.total < 'a'"]],
    ["-body.items[0].id", ["wrong-kind body.items[0].id"]],
    ["body.items[0].tags[0].upper()", []],
    ["regex.extract(body.items[0].id, '[0-9]+').orValue(0) + 1", []],
  ])("%s", (text, findings) => {
    expect(found(text)).toEqual(findings);
  });

  it("says what was probably meant, and what to do", () => {
    const message = (text: string) => checkShapes(compile(text), scope).findings[0]?.message;
    expect(message("body.item")).toBe('body has no "item" in its schema; did you mean "items"?');
    expect(message("body.items[0].note")).toContain("default(body.items[0].note, …)");
    expect(message("body.items[0].id * 2")).toContain("number(body.items[0].id)");
    expect(message("guest.state == 'opn'")).toContain('Did you mean "open"?');
  });

  it("says nothing of a sum where one kind of several fits", () => {
    const mixed = new Map([["v", ofValue({ odd: [1, []], either: [1, "x"], tags: ["a"] })]]);
    const codes = (text: string): string[] =>
      checkShapes(compile(text), mixed).findings.map(({ code }) => code);
    expect(codes("v.odd[0] + 1")).toEqual([]);
    expect(codes("v.odd[1] + v.tags")).toEqual([]);
    expect(codes("(v.either[0] + 1) * 2")).toEqual([]);
    expect(codes("v.tags + 1")).toEqual(["wrong-kind"]);
    expect(codes("v.either[0] + v.tags")).toEqual(["wrong-kind"]);
  });

  it("has no finding where what it was inferred from gives a value, and none throws", () => {
    const paths = ["v", "v.a", "v.b[0]", "v.a.c", "v.b", "v.d"];
    const forms = [
      "X",
      "X + 1",
      "size(X)",
      "X == X",
      "default(X, 1)",
      "X.map(i, i)",
      "[X]",
      "!X",
      "X > 1",
      "X ? 1 : 2",
      "upper(X)",
    ];
    const value = fc.letrec<{ value: Json }>((tie) => ({
      value: fc.oneof(
        { maxDepth: 3 },
        fc.constantFrom<Json>(null, true, 1, "x"),
        fc.array(tie("value"), { maxLength: 3 }),
        fc.dictionary(fc.constantFrom("a", "b", "c", "d"), tie("value"), { maxKeys: 3 }),
      ),
    })).value;
    fc.assert(
      fc.property(value, fc.constantFrom(...paths), fc.constantFrom(...forms), (v, path, form) => {
        const expression = compile(form.replaceAll("X", path));
        const { findings } = checkShapes(expression, new Map([["v", ofValue(v)]]));
        const hard = findings.filter(({ code }) => code !== "null" && code !== "absent" && code !== "never");
        if (hard.length === 0) return;
        // What the check calls wrong fails when it runs.
        expect(() => evaluateToJson(expression, { v } as ValueMap, { now: () => 0, uuid: () => "" })).toThrow(
          ExpressionError,
        );
      }),
      { numRuns: 10_000 },
    );
  });
});
