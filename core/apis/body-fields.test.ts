import { describe, expect, it } from "vitest";
import { parseJson, type JsonObject } from "../values/json.js";
import { bodyFieldsOf, bodyRuleFaults, bodyWithFields, toldApart, type BodyField } from "./body-fields.js";
import { choicesFromOf, choicesIn, type ChoicesFrom } from "./choices.js";
import { withFixedFields } from "./fixed.js";
import { idsFromAddress, withIdsFrom } from "./extensions.js";
import { operationById, readApi, type Operation } from "./openapi.js";
import { operationRequest } from "./operation-request.js";
import { parameterFaults } from "./parameter-faults.js";
import { comparedFields, readBackParameters, recordLink } from "./records.js";

const post: JsonObject = {
  operationId: "createPost",
  "x-ckettle-link": "https://boards.example/b/${request.path.board}/p/${body.id}",
  "x-ckettle-read-back": {
    operation: "getPost",
    parameters: { board: "${request.path.board}", post: "${body.id}" },
  },
  "x-ckettle-ids-from": ["https://boards.example/b/{board}/p/{post}", "/boards/{board}"],
  "x-ckettle-was": ["addPost"],
  parameters: [
    { name: "board", in: "path", required: true, schema: { type: "string" } },
    { name: "style", in: "query", schema: { type: "string" } },
    {
      name: "at",
      in: "query",
      schema: {
        type: "string",
        "x-ckettle-rule": { holds: "timestamp(value) > now()", otherwise: "Must be in the future" },
      },
    },
  ],
  requestBody: {
    required: true,
    content: {
      "application/json": {
        schema: {
          type: "object",
          required: ["text", "author"],
          properties: {
            text: {
              type: "string",
              title: "Text",
              "x-ckettle-rule": { holds: "size(value) <= 20", otherwise: "At most 20 signs." },
            },
            style: { enum: ["plain", "loud"] },
            kind: { const: "post" },
            author: { $ref: "#/components/schemas/Person" },
          },
        },
      },
    },
  },
};
const document: JsonObject = {
  openapi: "3.1.1",
  info: { title: "Boards", version: "1" },
  servers: [{ url: "https://boards.example/api" }],
  paths: { "/boards/{board}/posts": { post } },
  components: {
    schemas: {
      Person: {
        type: "object",
        required: ["name"],
        properties: { name: { type: "string" }, boss: { $ref: "#/components/schemas/Person" } },
      },
    },
  },
};
const operation = readApi(document).operations[0] as Operation;
const fields = bodyFieldsOf(document, operation);
const now = Date.parse("2027-03-01T00:00:00Z");
const faults = (given: JsonObject, known?: (name: string) => boolean) =>
  parameterFaults(operation, given, known, { fields, now }).map(({ message }) => message);

describe("fields of a body, given by name", () => {
  it("are called by their own name, or behind body. where they are nested or a parameter has it", () => {
    expect(fields.map(({ name, required }) => (required ? `${name}!` : name))).toEqual([
      "text!",
      "body.style",
      "kind",
      "author!",
      "body.author.name!",
      // A person who holds a person: nobody's last field is looked for.
      "body.author.boss",
    ]);
  });

  it("go into the body, each at its path, beside a whole one and into a form", () => {
    const { parameters, inBody } = toldApart(operation, fields, {
      board: "b1",
      style: "wide",
      text: "Hello",
      "body.style": "loud",
      "body.author.name": "Hazel",
      "body.text": null,
    });
    expect(parameters).toEqual({ board: "b1", style: "wide" });
    const whole = { text: "Hello", style: "loud", author: { name: "Hazel" } };
    expect(bodyWithFields(operation, undefined, inBody)).toEqual({ json: whole });
    expect(bodyWithFields(operation, { json: { more: 1, author: { id: 7 } } }, inBody)).toEqual({
      json: { ...whole, more: 1, author: { id: 7, name: "Hazel" } },
    });
    expect(bodyWithFields(operation, { form: {} }, inBody)).toEqual({ form: whole });
    expect(() => bodyWithFields(operation, { text: "a" }, inBody)).toThrow("a body of the kind text");
    expect(() => bodyWithFields(operation, { json: [] }, inBody)).toThrow("it is no object there");
    expect(bodyWithFields(operation, undefined, [])).toBeUndefined();
  });

  it("demands of an object what must be in it, where the object is sent", () => {
    const field = (name: string, more: Partial<BodyField> = {}): BodyField => ({
      ...{ name, path: name.split("."), title: name, required: false, schema: {} },
      ...more,
    });
    const missing = (given: JsonObject, ...fields: BodyField[]) =>
      parameterFaults(operation, { board: "b1", ...given }, undefined, { fields }).map(({ name }) => name);
    const note = [field("note"), field("by", { required: true }), field("by.name"), field("by.at")];
    expect(missing({}, ...note)).toEqual([]);
    expect(missing({ note: 1 }, ...note)).toEqual(["by"]);
    expect(missing({ note: 1, "by.at": 1 }, ...note)).toEqual([]);
    note[2] = field("by.name", { required: true });
    expect(missing({ note: 1 }, ...note)).toEqual(["by.name"]);
    note[2] = field("by.name", { required: true, fixed: "Hazel" });
    expect(missing({ note: 1 }, ...note)).toEqual([]);
    const optional = [field("a"), field("a.b", { required: true }), field("a.c"), field("d")];
    expect(missing({ d: 1 }, ...optional)).toEqual([]);
    expect(missing({ "a.c": 1 }, ...optional)).toEqual(["a.b"]);
    expect(missing({ a: {} }, ...optional)).toEqual([]);
  });

  it("are checked like parameters: required, fixed, choices, rules, and the nearest name", () => {
    const whole = { board: "b1", text: "Hello", "body.author.name": "Hazel" };
    expect(faults(whole)).toEqual([]);
    expect(faults({ board: "b1" })).toEqual([]);
    expect(faults({ board: "b1", text: "Hello" })).toEqual([
      'The field "name" (body.author.name) of the body of createPost is required, and has no value.',
    ]);
    expect(faults({ board: "b1", text: "Hello", author: { name: "Hazel" } })).toEqual([]);
    expect(faults({ board: "b1", "body.author.name": "Hazel", text: null })).toEqual([
      'The field "Text" (text) of the body of createPost is required, and has no value.',
    ]);
    expect(faults({ ...whole, kind: "page" })).toEqual([expect.stringContaining("is fixed")]);
    expect(faults({ ...whole, "body.style": "soft" })).toEqual([
      expect.stringContaining('one of "plain", "loud"'),
    ]);
    expect(faults({ ...whole, text: "x".repeat(21) })).toEqual([
      'The field "Text" (text) of the body of createPost is not taken: At most 20 signs.',
    ]);
    expect(faults({ ...whole, text: "x".repeat(21) }, (name) => name !== "text")).toEqual([]);
    expect(faults({ ...whole, txet: "a" })).toEqual([expect.stringContaining('did you mean "text"?')]);
  });

  it("hold to their rules in a whole body, too, and parameters to theirs", () => {
    expect(bodyRuleFaults(operation, fields, { text: "x".repeat(21) }, now)).toEqual([
      {
        path: ["text"],
        value: "x".repeat(21),
        message: expect.stringContaining("At most 20 signs.") as string,
      },
    ]);
    expect(bodyRuleFaults(operation, fields, { text: "short" }, now)).toEqual([]);
    expect(bodyRuleFaults(operation, fields, undefined, now)).toEqual([]);
    expect(faults({ board: "b1", at: "2027-02-01T00:00:00Z" })).toEqual([
      'The parameter "at" of createPost is not taken: Must be in the future.',
    ]);
    expect(faults({ board: "b1", at: "2027-04-01T00:00:00Z" })).toEqual([]);
    expect(faults({ board: "b1", at: "soon" })).toEqual([
      expect.stringContaining("its rule cannot be computed"),
    ]);
  });

  it("are read once, in time that grows with the document only", () => {
    const properties = Object.fromEntries(
      Array.from({ length: 3_000 }, (_, index) => [`f${index}`, { $ref: "#/components/schemas/Person" }]),
    );
    const wide = structuredClone(document) as never as { paths: { x: JsonObject } };
    (wide.paths as JsonObject)["/wide"] = {
      post: {
        operationId: "wide",
        requestBody: { content: { "application/json": { schema: { type: "object", properties } } } },
      },
    };
    const one = readApi(wide as never).operations.find(({ id }) => id === "wide") as Operation;
    const found = bodyFieldsOf(wide as never, one);
    expect(found).toHaveLength(500);
    expect(bodyFieldsOf(wide as never, one)).toBe(found);
  });
});

it("a body whose shapes name each other twice, over and over, costs no more than their number", () => {
  const count = 300;
  const ref = (index: number) => ({ $ref: `#/components/schemas/S${index}` });
  const schemas: JsonObject = {
    [`S${count}`]: {
      type: "object",
      required: ["x"],
      properties: { x: { type: "string" }, kind: { const: "k" } },
    },
  };
  for (let index = 0; index < count; index++)
    schemas[`S${index}`] = { allOf: [ref(index + 1), ref(index + 1)] };
  const chain = {
    ...document,
    paths: {
      "/a": { post: { requestBody: { content: { "application/json": { schema: ref(count - 20) } } } } },
    },
    components: { schemas },
  } as JsonObject;
  const one = readApi(chain).operations[0] as Operation;
  expect(bodyFieldsOf(chain, one).map(({ name }) => name)).toEqual(["x", "kind"]);
  expect(withFixedFields(chain, one, { x: "1" })).toEqual({ x: "1", kind: "k" });
});

describe("addresses of pages", () => {
  const patterns = operation.idsFrom ?? [];
  it.each<[string, Record<string, string> | undefined]>([
    ["https://boards.example/b/7/p/9", { board: "7", post: "9" }],
    ["https://boards.example/b/7/p/9/edit?x=1#y", { board: "7", post: "9" }],
    ["https://boards.example/b/a%20b/p/%C3%A9", { board: "a b", post: "é" }],
    ["https://elsewhere.example/boards/7", { board: "7" }],
    ["https://elsewhere.example/b/7/p/9", undefined],
    ["https://boards.example/b/7", undefined],
    ["https://boards.example/b//p/9", undefined],
    ["b/7/p/9", undefined],
    [`https://boards.example/b/${"x".repeat(3_000)}/p/1`, undefined],
  ])("%s", (address, ids) => expect(idsFromAddress(patterns, address)).toEqual(ids));

  it("fill every parameter that the pattern names and that has no value", () => {
    const at = "https://boards.example/b/7/p/9";
    expect(withIdsFrom(operation, { board: at })).toEqual({ board: "7", post: "9" });
    expect(withIdsFrom(operation, { board: at, post: "1" })).toEqual({ board: "7", post: "1" });
    expect(withIdsFrom(operation, { text: at })).toEqual({ text: at });
    expect(operationRequest(operation, "https://x.example", { board: "7" }).url).toBe(
      "https://x.example/boards/7/posts",
    );
  });
});

describe("the record of a call", () => {
  const call = {
    request: {
      method: "POST",
      url: "https://boards.example/api/boards/b%201/posts?style=a",
      body: { text: "a", n: 1 },
    },
    response: { status: 201, headers: {}, body: { id: 12 } },
  };

  it("is found by the link, which only a web address can be", () => {
    expect(recordLink(operation, call)).toBe("https://boards.example/b/b%201/p/12");
    expect(recordLink({ ...operation, link: "javascript:alert(1)" }, call)).toBeUndefined();
    expect(recordLink({ ...operation, link: "${body.url}" }, call)).toBeUndefined();
    expect(recordLink(operation, { ...call, response: { ...call.response, status: 409 } })).toBeUndefined();
  });

  it("is read back by parameters out of request and response, and compared field by field", () => {
    expect(readBackParameters(operation, call)).toEqual({ board: "b 1", post: 12 });
    const empty = { ...call, response: { ...call.response, body: {} } };
    expect(readBackParameters(operation, empty)).toBeUndefined();
    const sent = parseJson('{"text":"a","n":1.50,"tags":["x"],"by":{"name":"Hazel"},"gone":true}');
    const there = parseJson('{"id":12,"text":"b","n":1.5,"tags":["x"],"by":{"name":"Hazel","id":3}}');
    expect(comparedFields(sent, there).map(({ path, same }) => `${path} ${same}`)).toEqual([
      "text false",
      "n true",
      "tags true",
      "by.name true",
      "gone false",
    ]);
  });
});

it("choices are read out of a response by expressions over its items", () => {
  const from = choicesFromOf({
    "x-ckettle-choices-from": { operation: "listBoards", value: "item.id", label: "item.title + '!'" },
  }) as ChoicesFrom;
  const boards = [
    { id: 1, title: "Huts" },
    { id: 2, title: "Staff" },
  ];
  const wanted = [
    { value: 1, label: "Huts!" },
    { value: 2, label: "Staff!" },
  ];
  expect(choicesIn(from, boards)).toEqual(wanted);
  expect(choicesIn(from, { more: false, boards })).toEqual(wanted);
  expect(choicesIn({ ...from, items: "body.a.b" }, { a: { b: boards } })).toEqual(wanted);
  expect(choicesIn({ ...from, label: "item.id" }, boards)[0]).toEqual({ value: 1, label: "1" });
  expect(() => choicesIn(from, { a: [], b: [] })).toThrow("no list of choices");
  expect(() => choicesIn(from, [{ name: "x" }])).toThrow("title");
  expect(
    choicesIn(
      from,
      Array.from({ length: 1_500 }, () => boards[0] as never),
    ),
  ).toHaveLength(1_000);
  expect(choicesFromOf({ "x-ckettle-choices-from": { operation: "a" } })).toBeUndefined();
});

it("an operation is found by an id that it had before, unless another has it now", () => {
  const other = { ...operation, id: "addPost", was: [] };
  expect(operationById([operation], "addPost")).toBe(operation);
  expect(operationById([operation, other], "addPost")).toBe(other);
  expect(operationById([operation], "nothing")).toBeUndefined();
});
