import { describe, expect, it } from "vitest";
import type { JsonObject } from "../values/json.js";
import { readApi } from "./openapi.js";
import { withFixedFields } from "./fixed.js";

const post: JsonObject = {
  type: "object",
  required: ["meta"],
  properties: {
    kind: { const: "post" },
    text: { type: "string", default: "hello" },
    meta: { $ref: "#/components/schemas/Meta" },
    extra: { type: "object", properties: { from: { const: "desk" } } },
    parts: { type: "array", items: { $ref: "#/components/schemas/Post" } },
  },
};

function operationWith(schema: JsonObject, required = true) {
  const document: JsonObject = {
    openapi: "3.1.0",
    paths: {
      "/posts": {
        post: { operationId: "post", requestBody: { required, content: { "application/json": { schema } } } },
      },
    },
    components: {
      schemas: {
        Post: post,
        Meta: { allOf: [{ properties: { from: { const: "huts" } } }, { properties: { lang: {} } }] },
        Round: {
          type: "object",
          required: ["next"],
          properties: { next: { $ref: "#/components/schemas/Round" } },
        },
      },
    },
  };
  const [operation] = readApi(document).operations;
  if (!operation) throw new Error("There is one.");
  return { document, operation };
}

describe("fields of a body that the schema fixes", () => {
  const { document, operation } = operationWith({ $ref: "#/components/schemas/Post" });

  it("are sent at any depth, in lists and in what is composed; a default is the API's to fill in", () => {
    expect(withFixedFields(document, operation, { parts: [{ text: "a" }], extra: {}, meta: {} })).toEqual({
      parts: [{ text: "a", kind: "post" }],
      extra: { from: "desk" },
      meta: { from: "huts" },
      kind: "post",
    });
  });

  it("are sent without a body where one is required; an optional object is not made for their sake", () => {
    expect(withFixedFields(document, operation, undefined)).toEqual({ kind: "post" });
    const optional = operationWith({ $ref: "#/components/schemas/Post" }, false);
    expect(withFixedFields(optional.document, optional.operation, undefined)).toBeUndefined();
  });

  it.each([
    [{ kind: "note" }, 'The field "kind" of the body of post is fixed to "post" and cannot be set.'],
    [{ parts: [{}, { kind: 1 }] }, 'The field "parts[1].kind"'],
  ])("cannot be set to anything else: %j", (body, message) => {
    expect(() => withFixedFields(document, operation, body as JsonObject)).toThrow(message);
    expect(withFixedFields(document, operation, { kind: "post" })).toMatchObject({ kind: "post" });
  });

  it("end where a schema holds itself, and leave a value alone that is not described", () => {
    const round = operationWith({ $ref: "#/components/schemas/Round" });
    expect(withFixedFields(round.document, round.operation, { a: 1 })).toEqual({ a: 1 });
    expect(withFixedFields(document, operation, "text")).toBe("text");
  });
});
