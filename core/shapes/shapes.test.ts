import { Ajv2020 } from "ajv/dist/2020.js";
import addFormats from "ajv-formats";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Json, JsonObject } from "../values/json.js";
import { parseJson } from "../values/json.js";
import { shapeCheck } from "./drift.js";
import { inferShape } from "./infer.js";

const ajv = new Ajv2020({ strict: false, allErrors: true, ownProperties: true });
(addFormats as unknown as { default: (ajv: unknown) => void }).default(ajv);

/** Values as answers hold them: texts in noticed formats and near them, mixed lists, odd keys. */
const text = fc.oneof(
  fc.string(),
  fc.constantFrom(
    "2026-02-28",
    "2026-02-30",
    "2026-11-26T10:00:00Z",
    "2026-11-26T24:00:00Z",
    "odd@huts.example",
  ),
  fc.constantFrom("odd@@huts.example", "https://huts.example/a?b=%20", "http://", "https://huts.example/%zz"),
  fc.uuid(),
  fc.emailAddress(),
  fc.webUrl({ withQueryParameters: true, withFragments: true }),
  fc.date({ noInvalidDate: true }).map((date) => date.toISOString()),
);
const key = fc.oneof(fc.constantFrom("id", "name", "items", "__proto__", "constructor", "a.b"), fc.string());
const { value } = fc.letrec<{ value: Json }>((tie) => ({
  value: fc.oneof(
    { maxDepth: 4 },
    fc.constantFrom<Json>(null, true, false, 0, -0, 1.5, 1e21),
    fc.integer(),
    fc.double({ noNaN: true, noDefaultInfinity: true }),
    text,
    fc.array(tie("value"), { maxLength: 5 }),
    fc.dictionary(key, tie("value"), { maxKeys: 5 }).map((object) => ({ ...object }) as JsonObject),
  ),
}));

describe("shapes inferred from samples", () => {
  it("hold every sample that they were inferred from, and depart from none", () => {
    fc.assert(
      fc.property(fc.array(value, { minLength: 1, maxLength: 6 }), (samples) => {
        const shape = inferShape(samples);
        const validate = ajv.compile(shape);
        const check = shapeCheck(shape);
        for (const sample of samples) {
          expect(validate(sample), JSON.stringify([sample, shape, validate.errors])).toBe(true);
          expect(check(sample)).toEqual([]);
        }
      }),
      { numRuns: 400 },
    );
  });

  it("say what was always there, what may be null, and what numbers were", () => {
    expect(
      inferShape([
        { id: 1, since: "2024-06-01", hut: null, price: 10 },
        { id: 2, since: "2025-06-01", hut: "corrie", price: 9.5, note: "late" },
      ]),
    ).toEqual({
      type: "object",
      properties: {
        id: { type: "integer" },
        since: { type: "string", format: "date" },
        hut: { type: ["string", "null"] },
        price: { type: "number" },
        note: { type: "string" },
      },
      required: ["id", "since", "hut", "price"],
    });
  });

  it.each<[string, Json[], object]>([
    [
      "a mixed list",
      [["a", 1, null]],
      { type: "array", items: { anyOf: [{ type: "integer" }, { type: "string" }, { type: "null" }] } },
    ],
    [
      "an empty list proves to be something later",
      [[], [{ a: true }]],
      { type: "array", items: { type: "object" } },
    ],
    ["an empty list stays open", [[]], { type: "array", items: {} }],
    ["only null", [null], { type: "null" }],
    ["a mail address", ["odd@huts.example"], { type: "string", format: "email" }],
    ["an address", ["https://huts.example/a"], { type: "string", format: "uri" }],
    ["two formats are none", ["2026-11-26", "odd@huts.example"], { type: "string" }],
    ["a large number keeps being an integer", [parseJson("12345678901234567890")], { type: "integer" }],
  ])("%s", (_what, samples, shape) => {
    const inferred = inferShape(samples);
    expect(inferred).toMatchObject(shape);
    if (!("format" in shape)) expect(inferred).not.toHaveProperty("format");
  });

  it("takes an object with hundreds of different keys as a map", () => {
    const map = Object.fromEntries(Array.from({ length: 300 }, (_, index) => [`g-${index}`, { at: index }]));
    expect(inferShape([map, { other: { at: 1 } }])).toEqual({
      type: "object",
      additionalProperties: { type: "object", properties: { at: { type: "integer" } }, required: ["at"] },
    });
  });
});

describe("drift", () => {
  const shape: JsonObject = {
    type: "object",
    required: ["items"],
    properties: {
      items: { type: "array", items: { $ref: "#/Guest" } },
      next: { type: ["string", "null"] },
      total: { type: "number" },
      owner: { anyOf: [{ type: "string" }, { $ref: "#/Guest" }] },
      labels: { type: "object", additionalProperties: { type: "string" } },
    },
  };
  const guest: JsonObject = {
    allOf: [
      { type: "object", required: ["id"], properties: { id: { type: "string" } } },
      { properties: { friend: { $ref: "#/Guest" }, age: { type: "integer" } } },
    ],
  };
  const follow = (part: Json | undefined) =>
    typeof part === "object" && part !== null && "$ref" in part ? guest : part;
  const check = shapeCheck(shape, follow);
  const told = (body: Json) => check(body).map(({ what, path }) => `${what} ${path}`);

  it.each<[Json, string[]]>([
    [{ items: [{ id: "g-1", age: 3, friend: { id: "g-2" } }], next: null, total: 3, labels: { a: "b" } }, []],
    [{ items: [], owner: { id: "g-1" } }, []],
    [{}, ["missing-field items"]],
    [{ items: [{ id: 1 }, { id: 2 }] }, ["other-kind items[].id"]],
    [{ items: [{ id: null, age: 1.5 }] }, ["null items[].id", "other-kind items[].age"]],
    [{ items: [{ id: "a", colour: "red" }], more: 1 }, ["new-field items[].colour", "new-field more"]],
    [
      { items: [{ id: "a", friend: { id: "b", friend: { age: 2 } } }] },
      ["missing-field items[].friend.friend.id"],
    ],
    [{ items: {}, labels: { "a b": 1 } }, ["other-kind items", 'other-kind labels."a b"']],
    [{ items: [], owner: 7 }, ["other-kind owner"]],
    [[], ["other-kind "]],
  ])("%j", (body, mismatches) => {
    expect(told(body)).toEqual(mismatches);
  });

  it("tells each place once, and looks at a bounded part of a large response", () => {
    const items = Array.from({ length: 100_000 }, () => ({ id: 7 }));
    expect(told({ items })).toEqual(["other-kind items[].id"]);
  });
});
