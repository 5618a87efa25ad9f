import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { derivedUuid } from "../values/digest.js";
import { Exact, parseJson, printJson, type Json, type JsonObject } from "../values/json.js";
import { compile } from "./compile.js";
import { ExpressionError } from "./errors.js";
import { references } from "./references.js";
import { evaluateToJson, parseTemplate, renderTemplate, templateReferences } from "./templates.js";
import type { ValueMap } from "./values.js";

const surroundings = {
  now: () => Date.UTC(2027, 2, 1, 5),
  uuid: (place: string, count: number) => derivedUuid(place, count),
};
const value = (text: string, scope: JsonObject = {}): Json | undefined =>
  evaluateToJson(compile(text), scope as ValueMap, surroundings);

function fault(text: string, scope: JsonObject = {}): ExpressionError {
  try {
    value(text, scope);
  } catch (error) {
    expect(error).toBeInstanceOf(ExpressionError);
    return error as ExpressionError;
  }
  throw new Error(`${text} has no fault.`);
}

describe("the cases that must come out so", () => {
  const rate = 'v > 60 ? "full" : v < 15 ? "low" : "fair"';
  it.each<[string, JsonObject, Json]>([
    ["latest.level", { latest: { level: 63 } }, 63],
    ["drafts[0].text", { drafts: [{ text: "hi" }] }, "hi"],
    ["default(drafts[0].text, null)", { drafts: [] }, null],
    ["lists.range(6).map(i, i + 1)", {}, [1, 2, 3, 4, 5, 6]],
    ['"A| B|C|".split("|").map(p, p.trim()).filter(p, p != "")', {}, ["A", "B", "C"]],
    [rate, { v: 61 }, "full"],
    [rate, { v: 60 }, "fair"],
    [rate, { v: 15 }, "fair"],
    [rate, { v: 14 }, "low"],
    ["[26, 12, 9, 5].map(v, math.least(v, 12))", {}, [12, 12, 9, 5]],
    ['address.split("@")[1]', { address: "marit@alpha.example" }, "alpha.example"],
    ['"desk." + address.split("@")[1]', { address: "marit@alpha.example" }, "desk.alpha.example"],
    ["[200, 201, 204, 302, 404].map(s, s >= 200 && s <= 299)", {}, [true, true, true, false, false]],
    ['row["Tag number"]', { row: { "Tag number": "T-9" } }, "T-9"],
    ['urlEncode("Café & Co/7")', {}, "Caf%C3%A9%20%26%20Co%2F7"],
    ['"North Hut Team".replace(" ", "")', {}, "NorthHutTeam"],
    ['"".replace("", "x") + "😀a".replace("", "-")', {}, "x-😀-a-"],
    ['"ab".replace("", "-", 1)', {}, "-ab"],
    ['"\uffee" < "😀" && ["😀", "\uffee", "a"].sort() == ["a", "\uffee", "😀"]', {}, true],
    ['duration(".5s") == duration("500ms") && duration("+5s") == duration("5s")', {}, true],
    ['[json.parse(""), default(json.parse(" "), 1)]', {}, [null, 1]],
    ['[number("a1", 0), number("2", 0), number(null, 3)]', {}, [0, 2, 3]],
    [`string(${"9".repeat(400)})`, {}, "9".repeat(400)],
    ["b == 0 ? null : a / b", { a: 4, b: 200 }, 0.02],
    ["b == 0 ? null : a / b", { a: 4, b: 0 }, null],
    ["lower(a.trim()) == lower(b.trim())", { a: " Odd@Huts.example ", b: "odd@huts.example" }, true],
    ["sum([])", {}, 0],
    ["5 / 2", {}, 2.5],
    ["4 / 2", {}, 2],
    ['"5" == 5', {}, false],
    ["1 == 1.0 && 1u == 1", {}, true],
    ['"n: " + 5 + true', {}, "n: 5true"],
    ["x.?a.?b.orValue(7)", { x: {} }, 7],
    ["x.?a.orValue(7)", { x: null }, 7],
    ["has(x.a) && !has(x.b)", { x: { a: null } }, true],
    ["null == null || nothing", {}, true],
    ["nothing || true", {}, true],
    ["[1, 2, 3].exists(n, n > 2) && [1, 2].all(n, n > 0) && [1, 2].exists_one(n, n == 1)", {}, true],
    ["{'a': [1, {'b': 2}]}", {}, { a: [1, { b: 2 }] }],
    ["cel.bind(n, 3, n * n)", {}, 9],
    ["[1, 2, 3, 4].map(n, n % 2 == 0, n * 10)", {}, [20, 40]],
    ["'b' in {'a': 1} || 'a' in ['a']", {}, true],
    ["[[3, 1], [2]].map(row, row.sort())", {}, [[1, 3], [2]]],
    [
      "x.filter(r, r.open).map(r, r.id)",
      {
        x: [
          { open: true, id: 1 },
          { open: false, id: 2 },
        ],
      },
      [1],
    ],
    ['timestamp("2027-03-01T05:00:00Z") - timestamp("2027-03-01T04:00:00Z")', {}, "3600s"],
    ["defaultIfBlank(x.name, 'nobody')", { x: { name: "  " } }, "nobody"],
    ["x.constructor", { x: { constructor: 5 } }, 5],
  ])("%s", (text, scope, result) => {
    expect(value(text, scope)).toEqual(result);
  });

  it("keeps the digits of long numbers: sent on, compared, as text; no arithmetic", () => {
    const scope = parseJson('{"id": 12345678901234567890, "price": 0.1000000000000000000001}') as JsonObject;
    expect(printJson(value("{'a': id, 'p': price}", scope))).toBe(
      '{"a":12345678901234567890,"p":0.1000000000000000000001}',
    );
    expect(value("string(id) + '!'", scope)).toBe("12345678901234567890!");
    expect(value("id == 12345678901234567890 && id > 12345678901234567889 && id < 1e30", scope)).toBe(true);
    expect(fault("id + 1", scope)).toMatchObject({ code: "exact-arithmetic" });
  });
});

describe("errors", () => {
  it.each<[string, JsonObject, string, string]>([
    [
      "steps.pass.body.ammount",
      { steps: { pass: { body: { amount: 1 } } } },
      "no-such-key",
      'No "ammount" in steps.pass.body; it has "amount".',
    ],
    ["steps.gest.body", { steps: { guest: {} } }, "no-such-key", 'Did you mean "guest"?'],
    ["rating > 30", { rating: null }, "null-value", "default("],
    ["null < 10", {}, "null-value", "null, which has no order"],
    ["'a' + null", {}, "null-value", "default("],
    ["x.y.z", { x: { y: null } }, "null-value", "x.y is null"],
    ["list[3]", { list: [1] }, "no-such-index", "has 1 item, counted from 0"],
    ["list[0]", { list: [] }, "no-such-index", "is empty"],
    ["list['a']", { list: [1] }, "wrong-kind", "a text"],
    ["1 / 0", {}, "divide-by-zero", "zero"],
    ["'a' - 1", {}, "wrong-kind", "number(…)"],
    ["upper(5)", {}, "wrong-kind", "upper wants a text as text; 5 is a number"],
    ["uper('a')", {}, "unknown-function", '"upper"'],
    ["hmacSha256('k')", {}, "wrong-arguments", "(key, data)"],
    ["'x'.sha256()", {}, "unknown-function", "sha256(…)"],
    ["json.parse('{\"a\":}')", {}, "bad-value", "character"],
    ["number('12 huts')", {}, "bad-value", "12 huts"],
    ["5 ? 1 : 2", {}, "wrong-kind", "true or false"],
    ["'a'.matches('(')", {}, "bad-value", "RE2"],
    ["type(1)", {}, "wrong-kind", "A type"],
    ["nobody", { somebody: 1 }, "unknown-name", '"nobody"'],
    ["[1, 'a'].sort()", {}, "wrong-kind", "no order"],
    ["toString(x)", { x: 1 }, "unknown-function", "toString"],
    ["x.__proto__", { x: {} }, "no-such-key", "__proto__"],
    ["x.hasOwnProperty", { x: {} }, "no-such-key", "hasOwnProperty"],
    ['timestamp("2027-02-30T00:00:00Z")', {}, "bad-value", "RFC 3339"],
    ['timestamp("2027-02-28T24:00:00Z")', {}, "bad-value", "RFC 3339"],
    ['date.parse("26 June", "d MMMM")', {}, "bad-value", "has no year"],
    [`date.parse("1", "${"d ".repeat(200)}yyyy")`, {}, "bad-value", "at most 200 characters"],
    ['"%s".format([1, 2])', {}, "bad-value", "2 values, for 1"],
    ['null in {"a": 1}', {}, "wrong-kind", "a key on its left"],
    ['[1] in {"a": 1}', {}, "wrong-kind", "a key on its left"],
    ["rows.map(n)", { rows: [], n: 1 }, "wrong-arguments", "list.map(item, item.name)"],
    ["rows.all(r.open)", { rows: [] }, "wrong-arguments", "list.all(item, item.open)"],
    ["default(x)", { x: 1 }, "wrong-arguments", "default(value, otherwise)"],
    ["rows.length", { rows: [] }, "wrong-kind", "Write size(rows)."],
    ["rows.id", { rows: [] }, "wrong-kind", "rows.map(item, item.id)"],
    ["x[0]", { x: "a" }, "wrong-kind", "x.charAt(0)"],
    ["rows[-1]", { rows: [1] }, "no-such-index", "rows.last()"],
    ["x.toUpperCase()", { x: "a" }, "unknown-function", "upper(text)"],
    ["len(x)", { x: "a" }, "unknown-function", "size(value)"],
    ["IF(x, 1, 2)", { x: true }, "unknown-function", "condition ? one : another"],
    ["Math.round(1.5)", {}, "unknown-function", "math.round(number)"],
    ["JSON.parse('1')", {}, "unknown-function", "json.parse(text)"],
    ["Object.keys(x)", { x: {} }, "unknown-function", "keys(object)"],
    ["rows.find(r, r.open)", { rows: [] }, "unknown-function", "list.filter(item, …)[0]"],
    ["NVL(x, 1)", { x: 1 }, "unknown-function", "default(value, otherwise)"],
    ["TRUE", {}, "unknown-name", "write true"],
    ["None", {}, "unknown-name", "write null"],
    ["now", {}, "unknown-name", "write now()"],
    ["x || 'a'", { x: "" }, "wrong-kind", "true or false"],
    ["{a: 1}", { a: [] }, "wrong-kind", 'Write "a", in quotes.'],
    ["now() + 1", {}, "wrong-kind", 'time + duration("1d")'],
    ["'2027-01-01' > now()", {}, "wrong-kind", "timestamp(…)"],
    ["'a' in x", { x: "abc" }, "wrong-kind", "text.contains(part)"],
  ])("%s", (text, scope, code, message) => {
    const error = fault(text, scope);
    expect(error.code).toBe(code);
    expect(error.message).toContain(message);
  });

  it.each([
    ["a = b", "=="],
    ["a and b", "&&"],
    ["a or b", "||"],
    ["not a", "!"],
    ["a === b", "=="],
    ["a <> b", "!="],
    ["“x”", "straight"],
    ["$.a.b", "$"],
    ["${a}", "${"],
    ["a ?? b", "default"],
    ["a }", "}"],
    ["rows.map(x => x.a)", "without an arrow"],
    ["if a then 1 else 2", "condition ? one : another"],
    ["case when a then 1 end", "condition ? one : another"],
    ["select a from rows", "list.filter(item, …)"],
    ["a & 'b'", "+ to join texts"],
    ["a ** 2", "a * a"],
    ["a++", "value + 1"],
    ["a is null", "value == null"],
    ["a is not null", "value != null"],
    ["a not in [1]", "!(value in list)"],
    ["a between 1 and 3", "value >= 1 && value <= 3"],
    ["a like 'b%'", "text.startsWith"],
    ["a =~ 'b'", "text.matches"],
    ["a?.b", "a.?b"],
    ["{{a}}", "Leave out {{ and }}"],
    ["rows[].a", "list.map(item, item.key)"],
    ["rows.*.a", "list.map(item, item.key)"],
    ["[...rows]", "merge(one, another)"],
    ["`a`", "+"],
    ["1,5", "1.5"],
    ["10%", "/ 100"],
    ["1_000", "without _"],
    ["'a' ? 1", "wants a :"],
    ['"a" "b"', "side by side"],
    ["x.match(/a/)", "A pattern is a text"],
    ["@x", "@"],
    ["typeof x", "type(value)"],
    ["new Date()", "now()"],
    ["", "missing"],
    ["1 +", "too early"],
  ])("says what was probably meant by %s", (text, meant) => {
    const error = fault(text);
    expect(error.code).toBe("syntax");
    expect(error.message).toContain(meant);
  });

  it("are placed in the text as the person wrote it", () => {
    const text = "Dear ${inputs.name}, ${ steps.a.bdy }!";
    const template = parseTemplate(text);
    const scope = { inputs: { name: "Odd" }, steps: { a: { body: 1 } } };
    expect(() => renderTemplate(template, scope, surroundings)).toThrowError(ExpressionError);
    try {
      renderTemplate(template, scope, surroundings);
    } catch (error) {
      const { start, end } = error as ExpressionError;
      expect(text.slice(start, end)).toBe("steps.a.bdy");
    }
  });
});

describe("templates", () => {
  it("keep the kind of a lone part, and make text of all else", () => {
    const render = (text: string, scope: JsonObject) =>
      renderTemplate(parseTemplate(text), scope as ValueMap, surroundings);
    expect(render("${n}", { n: 5 })).toBe(5);
    expect(render("${n} huts", { n: 5 })).toBe("5 huts");
    expect(render("${x}${y}", { x: null, y: [1] })).toBe("[1]");
    expect(render("$${x} costs $5", {})).toBe("${x} costs $5");
    expect(render('${ {"a": "}"}.a }', {})).toBe("}");
    expect(render("${o.?x}", { o: {} })).toBeUndefined();
  });

  it("are closed, or say so", () => {
    expect(() => parseTemplate("Hi ${inputs.name")).toThrow(/not closed/);
  });

  it("print back what is not an expression, whatever it is", () => {
    fc.assert(
      fc.property(fc.string(), (text) => {
        const escaped = text.replaceAll("${", () => "$${");
        expect(renderTemplate(parseTemplate(escaped), {}, surroundings)).toBe(text);
      }),
    );
  });

  it("never read data for parts of their own", () => {
    expect(renderTemplate(parseTemplate("${x}!"), { x: "${y}" }, surroundings)).toBe("${y}!");
  });
});

describe("references", () => {
  it.each([
    ["steps.a.body.items[0].id", ["steps.a.body.items.*.id"]],
    ["rows.filter(r, r.open).map(r, r.id)", ["rows", "rows.*.open"]],
    [
      "steps.a.body.items.map(i, i.id + inputs.x)",
      ["steps.a.body.items", "steps.a.body.items.*.id", "inputs.x"],
    ],
    ['a["b c"].d', ["a.b c.d"]],
    ["a[k].b", ["k", "a.*.b"]],
    ["math.least(a, 1)", ["a"]],
    ["cel.bind(x, a.b, x.c)", ["a.b", "a.b.c"]],
    ["default(a.?b, c)", ["a.b", "c"]],
  ])("of %s", (text, paths) => {
    const found = references(compile(text).tree).map((reference) => reference.path.join("."));
    expect(found).toEqual(expect.arrayContaining(paths.slice(0, 1)));
    for (const path of paths) expect(found).toContain(path);
  });

  it("have their place in the template", () => {
    const text = "a ${x.y} b";
    const [reference] = templateReferences(parseTemplate(text));
    expect(text.slice(reference?.start, reference?.end)).toBe("x.y");
  });
});

describe("safety", () => {
  it.each([
    ["nested loops", "lists.range(2000).map(a, lists.range(2000).map(b, lists.range(2000).map(c, c)))"],
    [
      "doubling texts",
      `cel.bind(a, "xxxxxxxxxxxxxxxx", ${"cel.bind(a, a + a, ".repeat(40)}a${")".repeat(41)}`,
    ],
    ["doubling lists", `cel.bind(a, [1, 2, 3], ${"cel.bind(a, a + a, ".repeat(40)}a${")".repeat(41)}`],
    ["a catastrophic pattern", `"${"a".repeat(5_000)}!".matches("^(a+)+$") ? 1 : lists.range(100000000)`],
    [
      "shared structure",
      `cel.bind(a, [1], ${"cel.bind(a, [a, a], ".repeat(30)}json.print(a)${")".repeat(31)}`,
    ],
    ["a long list", "lists.range(1000000000)"],
  ])("%s ends in a located error, soon", (_what, text) => {
    const began = performance.now();
    const error = fault(text);
    expect(error.code).toMatch(/budget|too-large/);
    expect(performance.now() - began).toBeLessThan(5_000);
  });

  it("refuses what is too long or too deep when it is compiled", () => {
    expect(fault("1 + ".repeat(20_000) + "1").code).toBe("too-large");
    expect(["too-large", "syntax"]).toContain(fault("(".repeat(500) + "1" + ")".repeat(500)).code);
    expect(["too-large", "syntax"]).toContain(fault("[".repeat(5_000)).code);
  });

  it("makes a value or an error of ours of any text, and never changes its input", () => {
    const words = [
      "a",
      ".b",
      "[0]",
      "(",
      ")",
      "+",
      "1",
      '"x"',
      " ? ",
      ":",
      "&&",
      "!",
      "size(",
      "{",
      "}",
      "null",
      ".map(i, i)",
      "-",
      "in",
      "?.",
      "🙂",
      "$",
    ];
    const scope = { a: { b: [1, { c: "x" }] } };
    const before = printJson(scope);
    fc.assert(
      fc.property(fc.array(fc.constantFrom(...words), { maxLength: 12 }), (parts) => {
        try {
          value(parts.join(""), scope);
        } catch (error) {
          expect(error).toBeInstanceOf(ExpressionError);
        }
        expect(printJson(scope)).toBe(before);
      }),
      { numRuns: 1_000 },
    );
  });

  it("prints any JSON and reads it back the same", () => {
    fc.assert(
      fc.property(fc.jsonValue(), (json) => {
        expect(parseJson(printJson(json))).toEqual(JSON.parse(JSON.stringify(json)));
      }),
    );
    expect(parseJson("[1e400, -0.0, 12345678901234567.5]")).toEqual([
      new Exact("1e400"),
      -0,
      new Exact("12345678901234567.5"),
    ]);
  });
});
