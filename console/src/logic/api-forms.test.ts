import type { OperationDetail } from "@copper-kettle/contract";
import { parseJson, printJson, type Json, type JsonObject } from "@copper-kettle/core";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import {
  emptyOf,
  kindOfValue,
  kinds,
  missingFields,
  schemaFor,
  skeleton,
  typedNumber,
  withField,
  withoutField,
} from "./body-value.js";
import { completeInFile, scopeAtLine } from "./expression-completion.js";
import { parameterEdits, withParameters } from "./operation-edit.js";
import { bodyKindOf, givenParameters, typedParameters } from "./parameter-form.js";
import { pastedKind, suggestedName } from "./pasted.js";

describe("a body as fields", () => {
  it("a changed field stays in its place, a new one comes last, and nothing else is touched", () => {
    const body = parseJson('{"b":1,"a":[1,"x",null,{"n":12345678901234567890}],"c":{}}') as JsonObject;
    expect(printJson(withField(body, "b", 2))).toBe(
      '{"b":2,"a":[1,"x",null,{"n":12345678901234567890}],"c":{}}',
    );
    expect(Object.keys(withField(body, "d", true))).toEqual(["b", "a", "c", "d"]);
    expect(printJson(withoutField(body, "a"))).toBe('{"b":1,"c":{}}');
    expect(printJson(body)).toContain('"b":1,"a":[1,"x",null');
  });

  it("setting each field to what it has gives the same text again, whatever is in it", () => {
    fc.assert(
      fc.property(fc.dictionary(fc.string(), fc.jsonValue() as fc.Arbitrary<Json>), (object) => {
        const body = parseJson(JSON.stringify(object)) as JsonObject;
        let same = body;
        for (const key of Object.keys(body)) same = withField(same, key, body[key] as Json);
        expect(printJson(same)).toBe(printJson(body));
      }),
    );
  });

  it("numbers keep the digits that were typed; what is not a number yet is told", () => {
    expect(printJson(typedNumber("12345678901234567890"))).toBe("12345678901234567890");
    expect(typedNumber("1.50")).toBe(1.5);
    for (const text of ["", "-", "1.", "0x1", "01", "abc"]) expect(typedNumber(text)).toBeUndefined();
  });

  it("each kind begins as one of its own", () => {
    for (const kind of kinds) expect(kindOfValue(emptyOf(kind))).toBe(kind);
  });

  it("begins with an example, or with what its schema wants at least", () => {
    const schema: JsonObject = {
      allOf: [{ type: "object", required: ["id"], properties: { id: { type: "string" } } }],
      required: ["beds", "hut", "tags"],
      properties: {
        beds: { type: ["integer", "null"] },
        hut: { enum: ["corrie", "juniper"] },
        tags: { type: "array", items: {} },
        note: { type: "string" },
        since: { default: "today" },
      },
      type: "object",
    };
    expect(skeleton(schema)).toEqual({ id: "", beds: 0, hut: "corrie", tags: [] });
    expect(skeleton({ example: { a: 1 } })).toEqual({ a: 1 });
    expect(missingFields(schemaFor(schema, {}), { beds: 1 })).toEqual(["id", "hut", "tags", "note", "since"]);
  });

  it("of several alternatives takes the one that the value is", () => {
    const schema: JsonObject = {
      anyOf: [
        { type: "string", title: "Name" },
        { type: "object", title: "Guest" },
      ],
    };
    expect(schemaFor(schema, "a")["title"]).toBe("Name");
    expect(schemaFor(schema, {})["title"]).toBe("Guest");
    expect(schemaFor(schema, 1)["title"]).toBeUndefined();
  });
});

describe("the parameters of a try", () => {
  const parameter = (name: string, more: object): OperationDetail["parameters"][number] => ({
    name,
    in: "query",
    title: name,
    required: false,
    schema: {},
    style: "form",
    explode: true,
    ...more,
  });
  const parameters = [
    parameter("ids", { schema: { type: "array" } }),
    parameter("filter", { schema: { type: "object" } }),
    parameter("full", { schema: { type: "boolean" } }),
    parameter("hut", { choices: ["corrie", "juniper"] }),
    parameter("lang", { fixed: "en" }),
    parameter("q", { schema: { type: "string" } }),
  ];

  it("are given by their kinds; blank and fixed ones are left out, and stand in the fields again", () => {
    const typed = { ids: "a\nb\n", filter: '{"beds":2}', full: false, hut: null, lang: "de", q: "" };
    const { given, faults } = givenParameters(parameters, typed);
    expect(given).toEqual({ ids: ["a", "b"], filter: { beds: 2 }, full: false });
    expect(faults).toEqual({});
    expect(typedParameters(parameters, given)).toEqual({ ids: "a\nb", filter: '{"beds":2}', full: false });
  });

  it("what cannot be read is told at its field", () => {
    expect(Object.keys(givenParameters(parameters, { filter: "{" }).faults)).toEqual(["filter"]);
  });

  it.each([
    ["application/vnd.huts+json", "json"],
    ["application/x-www-form-urlencoded", "form"],
    ["multipart/form-data", "multipart"],
    ["application/atom+xml", "xml"],
    ["text/plain", "text"],
    ["image/png", "file"],
  ])("a body of %s is given as %s", (type, kind) => {
    expect(bodyKindOf(type)).toBe(kind);
  });
});

describe("an operation that is changed by hand", () => {
  const operation: JsonObject = {
    operationId: "list",
    parameters: [
      { name: "hut", in: "query", "x-ours": 1, schema: { type: "string", maxLength: 9 }, example: "corrie" },
      { $ref: "#/components/parameters/page" },
    ],
    responses: { 200: { description: "All." } },
  };

  it("is the same when nothing was changed", () => {
    expect(withParameters(operation, parameterEdits(operation))).toEqual(operation);
    expect(withParameters({ responses: {} }, [])).toEqual({ responses: {} });
  });

  it("keeps what is not edited: other keywords, references, order", () => {
    const [hut, page] = parameterEdits(operation);
    if (!hut || !page) throw new Error("There are two.");
    expect(page.shared).toBe(true);
    const edits = [
      {
        ...hut,
        title: "Hut",
        choices: "corrie\njuniper",
        fixed: "corrie",
        preset: "juniper",
        required: true,
      },
      page,
    ];
    expect(withParameters(operation, edits)).toEqual({
      ...operation,
      parameters: [
        {
          name: "hut",
          in: "query",
          "x-ours": 1,
          required: true,
          schema: {
            type: "string",
            maxLength: 9,
            title: "Hut",
            const: "corrie",
            default: "juniper",
            enum: ["corrie", "juniper"],
          },
          example: "corrie",
        },
        { $ref: "#/components/parameters/page" },
      ],
    });
  });

  it("values are of the parameter's type", () => {
    const [edit] = parameterEdits({ parameters: [{ name: "n", in: "query", schema: { type: "integer" } }] });
    if (!edit) throw new Error("There is one.");
    const made = withParameters({}, [{ ...edit, preset: "2", choices: "1\n2" }]);
    expect(made).toMatchObject({ parameters: [{ schema: { type: "integer", default: 2, enum: [1, 2] } }] });
  });
});

describe("what somebody pastes", () => {
  it.each([
    ["", "nothing"],
    ["openapi: 3.1.0\ninfo: {}", "document"],
    ['# ours\n"swagger": "2.0"', "document"],
    ['{"info":{},"openapi":"3.0.3"}', "document"],
    ["https://stays.example/openapi.yaml", "address"],
    ["https://stays.example/guests", "request"],
    ["curl https://stays.example/openapi.yaml", "request"],
    ["GET https://stays.example/guests", "request"],
  ])("%j is a %s", (text, kind) => {
    expect(pastedKind(text)).toBe(kind);
  });

  it("offers a name", () => {
    expect(suggestedName("https://api.stays.example")).toBe("stays-example");
    expect(suggestedName("Hut Stays (v2)")).toBe("hut-stays-v2");
  });
});

describe("completion in a workflow file", () => {
  const file = (last: string) =>
    `copper-kettle: 1\nname: a\nsteps:\n  - { step: first, set: { total: 1 } }\n${last}`;
  const offered = (last: string, column = last.length) =>
    completeInFile(last, column, scopeAtLine(file(last), 5)).options.map(({ text }) => text);

  it.each([
    ['  - { step: b, note: "${steps.', ["first"]],
    ['  - { step: b, note: "${steps.first.', ["total"]],
    ["  - { step: b, if: steps.first.to", ["total"]],
    ["  - { step: b, each: variables.", ["total"]],
  ])("%s", (line, some) => {
    expect(offered(line)).toEqual(expect.arrayContaining(some));
  });

  it("is silent where no expression stands", () => {
    expect(offered("  - { step: steps.")).toEqual([]);
    expect(offered('  - { step: b, note: "${1} steps.')).toEqual([]);
  });
});
