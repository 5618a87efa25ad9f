import { describe, expect, it } from "vitest";
import type { Json } from "../values/json.js";
import { listedFields, schemaFields } from "./schema-fields.js";

const lines = (schema: Json): string[] =>
  schemaFields(schema).map(
    ({ name, depth, kind, required, note }) =>
      `${"  ".repeat(depth)}${name}: ${kind}${required ? ", required" : ""}${note ? ` – ${note}` : ""}`,
  );

describe("a schema as fields", () => {
  it("lists them in its order, those within a field behind it, with their rules in words", () => {
    expect(
      lines({
        type: "object",
        required: ["items"],
        properties: {
          items: {
            type: "array",
            minItems: 1,
            items: {
              type: "object",
              required: ["email"],
              properties: {
                email: { type: "string", format: "email", title: "E-mail", maxLength: 80 },
                beds: { type: ["integer", "null"], description: "How many", minimum: 0, default: 2 },
                season: { enum: ["summer", "winter"] },
                tags: { type: "array", items: { type: "string" } },
              },
            },
          },
          next: { type: "string", nullable: true, readOnly: true },
        },
      }),
    ).toEqual([
      "items: list of objects, required – At least 1 items.",
      "  email: text (e-mail), required – E-mail. At most 80 characters.",
      "  beds: whole number or null – How many. Default: 2. At least 0.",
      '  season: anything – One of "summer", "winter".',
      "  tags: list of texts",
      "next: text or null – Only in responses.",
    ]);
  });

  it("joins what holds together, and requires of alternatives only what all have", () => {
    const hut = { type: "object", required: ["id"], properties: { id: { type: "string" } } };
    const named = { properties: { name: { type: "string" } }, required: ["name"] };
    expect(lines({ allOf: [hut, named] })).toEqual(["id: text, required", "name: text, required"]);
    expect(lines({ oneOf: [hut, { ...named, required: ["name", "id"] }] })).toEqual([
      "id: text, required",
      "name: text",
    ]);
    expect(lines({ properties: { hut: { oneOf: [hut, { type: "null" }] } } })).toEqual([
      "hut: object or null",
      "  id: text, required",
    ]);
  });

  it("takes lists and plain values, and a reference that was left", () => {
    expect(lines({ type: "array", items: { type: "array", items: { properties: { a: {} } } } })).toEqual([
      "each: list of objects",
      "  a: anything",
    ]);
    expect(lines({ type: "string" })).toEqual(["value: text"]);
    expect(lines({ properties: { parent: { $ref: "#/components/schemas/Hut" } } })).toEqual([
      "parent: Hut, as above",
    ]);
    for (const none of [undefined, null, true, {}, []]) expect(schemaFields(none as Json)).toEqual([]);
  });

  it("ends, whatever it is given", () => {
    const wide = {
      properties: Object.fromEntries(Array.from({ length: 5_000 }, (_, index) => [`f${index}`, {}])),
    };
    expect(schemaFields(wide)).toHaveLength(listedFields.most);
    const required = Array.from({ length: 3_000 }, (_, index) => `f${index}`);
    const alike = Array.from({ length: 3_000 }, () => ({ properties: { f0: {} }, required }));
    expect(schemaFields({ oneOf: alike })).toMatchObject([{ name: "f0", required: true }]);
    let lists: Json = { type: "string" };
    for (let level = 0; level < 20_000; level++) lists = { type: "array", items: lists };
    expect(schemaFields(lists)).toHaveLength(1);
    const types = Array.from({ length: 5_000 }, (_, index) => `t${index}`);
    const [many] = schemaFields({ properties: { a: { type: types, description: "d".repeat(100_000) } } });
    expect([many?.kind.length, many?.note.length]).toEqual([44, 1_001]);
    let deep: Json = { type: "string" };
    for (let level = 0; level < 2_000; level++) deep = { properties: { in: deep } };
    expect(schemaFields(deep)).toHaveLength(listedFields.depth + 1);
    let doubled: Json = { properties: { a: {} } };
    for (let level = 0; level < 40; level++) doubled = { allOf: [doubled, doubled], items: doubled };
    // Each level has twice as many as the one within: without a bound it would not end.
    expect(schemaFields(doubled).length).toBeLessThanOrEqual(listedFields.most);
  });
});
