import { describe, expect, it } from "vitest";
import type { JsonObject } from "../values/json.js";
import { responseMismatches, contentFor, describedAnswer, exampleResponse } from "./responses.js";
import { readApi, type Operation } from "./openapi.js";

const guest: JsonObject = {
  type: "object",
  required: ["id"],
  properties: { id: { type: "string" }, since: { type: "string", format: "date" } },
};
const json = (schema: JsonObject, more: JsonObject = {}): JsonObject => ({
  "application/json": { schema, ...more },
});
const document: JsonObject = {
  openapi: "3.1.0",
  info: { title: "Stays", version: "1" },
  paths: {
    "/guests": {
      get: {
        operationId: "list",
        responses: {
          "200": {
            description: "All.",
            content: json({ type: "array", items: { $ref: "#/components/schemas/Guest" } }),
          },
          "4XX": {
            description: "No.",
            content: {
              "application/*": {
                schema: { type: "object", required: ["error"], properties: { error: { type: "string" } } },
              },
            },
          },
          default: { description: "Else.", content: { "text/plain": { schema: { type: "string" } } } },
        },
      },
      post: {
        operationId: "make",
        responses: {
          "201": {
            description: "Made.",
            content: json({ $ref: "#/components/schemas/Guest" }, { example: { id: "g-7" } }),
          },
        },
      },
      delete: { operationId: "gone", responses: { "204": { description: "Gone." } } },
      put: { operationId: "silent", responses: { "400": { description: "No." } } },
      patch: { operationId: "range", responses: { "2XX": { description: "Yes.", content: json({}) } } },
    },
  },
  components: { schemas: { Guest: guest } },
};
const { operations } = readApi(document);
const find = (id: string): Operation => operations.find((one) => one.id === id) as Operation;

describe("what a document says of a response", () => {
  it.each([
    [200, "200"],
    [404, "4XX"],
    [451, "4XX"],
    [500, "default"],
    [201, "default"],
  ])("%i is described by %s", (status, described) => {
    expect(describedAnswer(find("list"), status)?.status).toBe(described);
  });

  it("is nothing where no status fits", () => {
    expect(describedAnswer(find("make"), 500)).toBeUndefined();
  });

  it.each([
    ["application/json", "application/json"],
    ["application/xml", "application/*"],
    ["text/csv", "*/*"],
  ])("%s has the content of %s", (type, found) => {
    const contents = ["*/*", "application/*", "application/json; charset=utf-8"].map((one) => ({
      type: one,
    }));
    expect(contentFor(contents as never, type)?.type.split(";")[0]).toBe(found);
  });
});

describe("a response that is compared with its shape", () => {
  const headers = { "content-type": "application/json" };
  it.each<[string, Parameters<typeof responseMismatches>[2], string[]]>([
    ["fits", { status: 200, headers, body: [{ id: "g-1", since: "2024-06-01" }] }, []],
    ["lacks what is required", { status: 200, headers, body: [{ since: "2024-06-01" }] }, ["[].id"]],
    ["is of another type", { status: 200, headers, body: [{ id: 7 }] }, ["[].id"]],
    ["has what nobody described", { status: 200, headers, body: [{ id: "g-1", hut: "corrie" }] }, ["[].hut"]],
    ["is refused as is described for its class", { status: 403, headers, body: { error: "no" } }, []],
    ["is refused in another way", { status: 403, headers, body: {} }, ["error"]],
    [
      "is of a media type that nobody described",
      { status: 200, headers: { "content-type": "text/html" }, body: "<p>" },
      [],
    ],
  ])("%s", (_, answer, places) => {
    const found = responseMismatches(document, find("list"), answer);
    expect(found.map(({ path }) => path)).toEqual(places);
    // The check was made ready by then, and says the same again.
    expect(responseMismatches(document, find("list"), answer)).toEqual(found);
  });
});

describe("a example answer", () => {
  it.each<[string, unknown]>([
    ["make", { status: 201, body: { id: "g-7" } }],
    ["list", { status: 200, body: [{ id: "text", since: "2027-03-01" }] }],
    ["gone", { status: 204, body: null }],
    ["range", { status: 200, body: null }],
    ["silent", undefined],
  ])("of %s", (id, example) => {
    expect(exampleResponse(document, find(id))).toEqual(example);
  });
});
