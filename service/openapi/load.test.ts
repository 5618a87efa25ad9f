import { isObject, readApi, type JsonObject } from "@copper-kettle/core";
import { describe, expect, it } from "vitest";
import { BadDocument, loadDocument } from "./load.js";
import { settled } from "./settle.js";

const text = (more: object): string =>
  JSON.stringify({ openapi: "3.0.3", info: { title: "Huts", version: "1" }, paths: {}, ...more });
const schemaOf = async (schema: object, status = "200"): Promise<unknown> => {
  const responses = { [status]: { description: "", content: { "application/json": { schema } } } };
  const { document } = await loadDocument(text({ paths: { "/x": { get: { responses } } } }));
  return readApi(document).operations[0]?.responses[0]?.content[0]?.schema;
};

describe("a document is read", () => {
  it("with a byte order mark, and with a version that YAML takes for a number", async () => {
    expect((await loadDocument(`\uFEFF${text({})}`)).written).toBe("OpenAPI 3.0.3");
    expect((await loadDocument("openapi: 3.0\npaths: {}\n")).written).toBe("OpenAPI 3.0");
    expect((await loadDocument("swagger: 2.0\ninfo: { title: x, version: '1' }\npaths: {}\n")).written).toBe(
      "Swagger 2.0",
    );
  });

  it("with what looks like references in examples, defaults and extensions, where it is data", async () => {
    const foreign = { $ref: "other.yaml" };
    const schema = {
      type: "object",
      default: foreign,
      example: foreign,
      properties: { default: { type: "string" } },
    };
    await expect(
      loadDocument(text({ "x-more": foreign, components: { schemas: { a: schema } } })),
    ).resolves.toBeDefined();
    await expect(loadDocument(text({ components: { schemas: { default: foreign } } }))).rejects.toThrow(
      "other.yaml",
    );
  });

  it("and nullable becomes a type everywhere, also under a response called default, and around allOf", async () => {
    expect(await schemaOf({ type: "string", nullable: true }, "default")).toEqual({
      type: ["string", "null"],
    });
    expect(await schemaOf({ allOf: [{ type: "object" }], nullable: true })).toEqual({
      anyOf: [{ allOf: [{ type: "object" }] }, { type: "null" }],
    });
    expect(await schemaOf({ oneOf: [{ type: "object" }], nullable: true })).toEqual({
      oneOf: [{ type: "object" }, { type: "null" }],
    });
  });

  it.each([
    ['{"swaggerVersion":"1.2","apis":[]}', "Swagger 1.2 is not read"],
    ["openapi: 4.0.0\npaths: {}", "OpenAPI 4.0.0 is not read"],
  ])("or refused by its name: %s", async (given, words) => {
    await expect(loadDocument(given)).rejects.toThrow(BadDocument);
    await expect(loadDocument(given)).rejects.toThrow(words);
  });
});

describe("a document steers no trust", () => {
  const document = {
    openapi: "3.1.1",
    "x-ckettle-credential": "bank-key",
    "x-ckettle-network": { proxy: "http://evil.example" },
    paths: { "/x": { post: { operationId: "x", "x-ckettle-effect": "reads", responses: {} } } },
  } as unknown as JsonObject;

  it("the credential that it names counts only if its API has it already, or a person gives it", () => {
    const credential = (...args: Parameters<typeof settled>) =>
      settled(...args).document["x-ckettle-credential"];
    expect(credential(document, {}, null, undefined)).toBeUndefined();
    expect(credential(document, {}, null, "other")).toBeUndefined();
    expect(credential(document, {}, null, "bank-key")).toBe("bank-key");
    expect(credential(document, { credential: "own-key" }, null, undefined)).toBe("own-key");
    expect(settled(document, {}, null, undefined).notes.join(" ")).toContain("bank-key");
  });

  it("rules of a fetched one are left out and named, until a person takes them", () => {
    const effect = (rules: boolean) => {
      const made = settled(document, { rules }, "https://a.example/openapi.json", undefined);
      expect(made.document).not.toHaveProperty("x-ckettle-network");
      expect(made.notes.join(" ").includes("x-ckettle-effect (1)")).toBe(!rules);
      return readApi(made.document).operations[0]?.effect;
    };
    expect(effect(false)).toBe("writes");
    expect(effect(true)).toBe("reads");
  });

  it("relative servers are those of where it came from, of paths and operations too", () => {
    const relative = {
      ...document,
      paths: {
        "/x": { servers: [{ url: "up" }], get: { servers: [{ url: "//b.example/" }], responses: {} } },
      },
    } as unknown as JsonObject;
    const made = settled(relative, {}, "https://a.example/v1/openapi.json", undefined).document;
    const path = isObject(made["paths"] ?? null) ? (made["paths"] as JsonObject)["/x"] : undefined;
    expect(made["servers"]).toEqual([{ url: "https://a.example/" }]);
    expect(path).toMatchObject({
      servers: [{ url: "https://a.example/v1/up" }],
      get: { servers: [{ url: "https://b.example/" }] },
    });
  });
});
