import { describe, expect, it } from "vitest";
import { readApi } from "../apis/openapi.js";
import { readWorkflow } from "../workflows/read.js";
import { readyCall, targetOf } from "../workflows/ready-call.js";
import type { Json, JsonObject } from "../values/json.js";
import { callMessage } from "./call-message.js";
import { callAt } from "./call-words.js";

const document: JsonObject = {
  openapi: "3.1.0",
  info: { title: "Stays", version: "1" },
  servers: [{ url: "https://stays.example" }],
  "x-ckettle-credential": "stays-key",
  paths: {
    "/huts/{hut}/stays": {
      post: {
        operationId: "book",
        parameters: [{ name: "hut", in: "path", required: true, schema: { type: "string" } }],
        requestBody: {
          content: {
            "application/json": {
              schema: {
                type: "object",
                properties: { guest: { type: "string" }, source: { const: "office" } },
              },
            },
          },
        },
        responses: {},
      },
    },
  },
};
const api = readApi(document);
const surroundings = { now: () => 0, uuid: () => "0000" };

function message(call: string, scope: Record<string, Json>) {
  const text = `copper-kettle: 1\nname: a\nsteps:\n  - { step: a, ${call} }\n`;
  const step = callAt(readWorkflow(text).partial?.steps ?? [], 4);
  if (!step) throw new Error(`There is no call in: ${call}`);
  const operation = step.operation && api.operations.find(({ id }) => id === step.operation?.id);
  const target = operation && targetOf(document, api, operation);
  return callMessage(readyCall(step, target), scope, surroundings);
}

describe("the message that a call makes", () => {
  it("is what the engine would send: encoded, with what the document adds", () => {
    expect(
      message(
        "request: 'POST ${constants.stays}/guests/${inputs.id}', query: { a: [1, 2] }, body: { json: { n: '${inputs.n}' } }",
        {
          constants: { stays: "https://stays.example/" },
          inputs: { id: "a b/c", n: 3 },
        },
      ),
    ).toEqual({
      method: "POST",
      url: "https://stays.example/guests/a%20b%2Fc?a=1&a=2",
      headers: [
        ["Accept", "application/json, */*;q=0.8"],
        ["Content-Type", "application/json"],
      ],
      body: '{"n":3}',
      using: [],
    });
    expect(
      message("operation: stays.book, parameters: { hut: corrie, guest: '${inputs.guest}' }", {
        inputs: { guest: "ines" },
      }),
    ).toMatchObject({
      method: "POST",
      url: "https://stays.example/huts/corrie/stays",
      body: '{"guest":"ines","source":"office"}',
      using: ["stays-key"],
    });
    expect(
      message(
        "request: GET https://a.example, if-none-match: steps.old, idempotency: { in: header, name: Key }",
        {
          steps: { old: { headers: { etag: '"7"' } } },
        },
      ).headers,
    ).toEqual([
      ["If-None-Match", '"7"'],
      ["Key", "0000"],
      ["Accept", "application/json, */*;q=0.8"],
    ]);
  });

  it("has the conditions that an earlier step gives, its ETag or else its date", () => {
    const of = (call: string) =>
      message(`request: PUT https://a.example, ${call}`, {
        steps: { old: { headers: { "last-modified": "Mon, 30 Nov 2026 12:00:00 GMT" } }, none: {} },
      }).headers[0];
    expect(of("if-match: steps.old")).toEqual(["If-Unmodified-Since", "Mon, 30 Nov 2026 12:00:00 GMT"]);
    expect(of("if-none-match: steps.old")).toEqual(["If-Modified-Since", "Mon, 30 Nov 2026 12:00:00 GMT"]);
    expect(of("if-match: steps.none")).toEqual(["Accept", "application/json, */*;q=0.8"]);
  });

  it("shows an expression as it is written where the values hold nothing for it", () => {
    const { url, body, headers } = message(
      "request: 'PUT https://a.example/x/${inputs.id}/y', query: { a: 'of ${inputs.three}', b: 'x y' }, headers: { X-One: 'is ${inputs.one}' }, body: { json: { a: '${inputs.two}', b: 1 } }",
      { inputs: {} },
    );
    expect(url).toBe("https://a.example/x/${inputs.id}/y?a=of ${inputs.three}&b=x%20y");
    expect(headers[0]).toEqual(["X-One", "is ${inputs.one}"]);
    expect(body).toBe('{"a":"${inputs.two}","b":1}');
  });

  it("shows the expression instead of more than anybody reads", () => {
    const many = Array.from({ length: 60_000 }, () => "x");
    const call =
      "request: POST https://a.example, body: { json: { few: '${inputs.few}', many: '${inputs.many}' } }";
    expect(message(call, { inputs: { few: ["x"], many } }).body).toBe(
      '{"few":["x"],"many":"${inputs.many}"}',
    );
  });

  it("says which field keeps it from being made, and shows what is known", () => {
    expect(message("operation: stays.book", {})).toEqual({
      method: "POST",
      url: "https://stays.example/huts/{hut}/stays",
      headers: [],
      using: ["stays-key"],
      fault: { field: "parameters", message: expect.stringContaining("hut") },
    });
    expect(message("request: 'GET ${constants.base}/a'", { constants: {} })).toMatchObject({
      url: "${constants.base}/a",
      fault: { field: "request", message: "${constants.base} has no value here." },
    });
    expect(
      message("request: 'GET https://a.example/${inputs.id}', headers: { X-One: \"a\\nb\" }", {}).fault,
    ).toMatchObject({ message: expect.stringContaining("X-One") });
    expect(message("request: 'GET ${constants.base}/a'", { constants: { base: "huts" } })).toMatchObject({
      url: "huts/a",
      fault: { field: "request", message: expect.stringContaining('"huts/a" is not a URL') },
    });
    expect(
      message("request: POST https://a.example, idempotency: { in: body, name: key }", {}).fault,
    ).toMatchObject({ field: "idempotency" });
  });
});
