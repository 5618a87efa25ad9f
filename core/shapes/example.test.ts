import { Ajv2020 } from "ajv/dist/2020.js";
import addFormats from "ajv-formats";
import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { isObject, type Json, type JsonObject } from "../values/json.js";
import { exampleOf } from "./example.js";

const ajv = new Ajv2020({ strict: false });
addFormats.default(ajv);
const plain = (part: JsonObject): Json => part;

/** Schemas as documents of APIs have them: the plain kinds, nested. */
const schema = fc.letrec<{ any: JsonObject; flat: JsonObject; list: JsonObject; map: JsonObject }>((tie) => ({
  flat: fc.oneof(
    fc.constantFrom<JsonObject>(
      { type: "boolean" },
      { type: "integer", minimum: 3 },
      { type: "number" },
      { type: "null" },
      { type: ["string", "null"] },
      { enum: ["corrie", "eyrie"] },
      { const: 7 },
      { type: "string", examples: ["g-1"] },
      { type: "integer", default: 5 },
    ),
    fc
      .constantFrom("date-time", "date", "email", "uri", "uuid", "duration")
      .map((format): JsonObject => ({ type: "string", format })),
    fc.integer({ min: 0, max: 20 }).map((minLength): JsonObject => ({ type: "string", minLength })),
  ),
  list: tie("any").map((items): JsonObject => ({ type: "array", items })),
  map: fc
    .dictionary(fc.constantFrom("id", "name", "hut", "beds", "open"), tie("any"), { maxKeys: 4 })
    .map((properties): JsonObject => ({ type: "object", properties, required: Object.keys(properties) })),
  any: fc.oneof({ depthSize: "small", withCrossShrink: true }, tie("flat"), tie("list"), tie("map")),
}));

describe("a example out of a schema", () => {
  it("fits the schema, of the kinds that documents of APIs have", () => {
    fc.assert(
      fc.property(schema.any, (given) => {
        const example = exampleOf(given, plain);
        expect(ajv.validate(given, example), JSON.stringify([given, example])).toBe(true);
      }),
      { numRuns: 300 },
    );
  });

  it.each<[string, JsonObject, Json]>([
    ["an example comes first", { example: "g-9", default: "g-1", type: "string" }, "g-9"],
    ["the first of alternatives", { oneOf: [{ type: "integer" }, { type: "string" }] }, 1],
    [
      "all parts together",
      {
        allOf: [{ properties: { a: { const: 1 } } }, { properties: { b: { const: 2 } } }],
        properties: { c: { const: 3 } },
      },
      { a: 1, b: 2, c: 3 },
    ],
    ["an object without a type", { properties: { id: { const: "x" } } }, { id: "x" }],
    ["nothing is known", {}, null],
  ])("%s", (_, given, example) => {
    expect(exampleOf(given, plain)).toEqual(example);
  });

  it("ends where a schema holds itself", () => {
    const hut: JsonObject = { type: "object", properties: { next: { $ref: "#/hut" }, beds: { const: 4 } } };
    let depth = 0;
    for (let at: Json = exampleOf(hut, (part) => (part["$ref"] ? hut : part)); isObject(at); depth++)
      at = at["next"] ?? null;
    expect(depth).toBeGreaterThan(2);
    expect(depth).toBeLessThan(12);
  });

  it("ends where schemas only name each other, and where each names the next one twice", () => {
    const round: JsonObject = { allOf: [{ $ref: "#/round" }] };
    expect(exampleOf(round, () => round)).toBeNull();
    const either: JsonObject = { anyOf: [{ $ref: "#/either" }] };
    expect(exampleOf(either, () => either)).toBeNull();
    const twice = (index: number): JsonObject =>
      index === 60
        ? { properties: { a: { const: 1 } } }
        : { allOf: [{ $ref: String(index + 1) }, { $ref: String(index + 1) }] };
    let looked = 0;
    exampleOf({ $ref: "0" }, (part) => {
      looked++;
      return part["$ref"] === undefined ? part : twice(Number(part["$ref"]));
    });
    expect(looked).toBeLessThanOrEqual(10_000);
    expect(String(exampleOf({ type: "string", minLength: 1e9 }, plain)).length).toBeLessThanOrEqual(1_000);
  });
});
