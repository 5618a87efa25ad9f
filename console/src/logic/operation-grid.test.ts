import type { JsonObject } from "@copper-kettle/core";
import { describe, expect, it } from "vitest";
import { cell, gridRows, withFixed, withOpen, withTitle } from "./operation-grid.js";
import { scopesIn, scopesOf, withScopes } from "./operation-edit.js";

const operation: JsonObject = {
  operationId: "createPost",
  parameters: [
    { name: "board", in: "path", schema: { type: "string" }, example: "b1" },
    { $ref: "#/components/parameters/Page" },
    { name: "notify", in: "query", schema: { type: "boolean", default: false } },
  ],
  requestBody: {
    content: {
      "application/json": {
        schema: {
          type: "object",
          required: ["text"],
          properties: {
            text: { type: "string", title: "Text" },
            style: { enum: ["plain", "loud"] },
            author: { type: "object", properties: { name: { type: "string" }, id: { type: "integer" } } },
            shared: { $ref: "#/components/schemas/Shared" },
          },
        },
        example: { text: "Hello", author: { name: "Hazel" } },
      },
    },
  },
};
const rows = gridRows(operation);
const named = (...names: string[]) => rows.filter(({ name }) => names.includes(name));

describe("the grid of an operation", () => {
  it("has parameters and fields of the body, each with its value in the example", () => {
    expect(rows.map((row) => `${row.key}${row.required ? "!" : ""}=${cell(row.example)}`)).toEqual([
      "path board!=b1",
      "query notify=false",
      "body text!=Hello",
      "body style=plain",
      "body author.name=Hazel",
      "body author.id=",
    ]);
  });

  it("fixes rows at these values, and opens them again; all else stays", () => {
    const fixed = withFixed(operation, named("board", "notify", "author.name", "author.id"));
    expect(gridRows(fixed).map(({ name, fixed: value }) => [name, cell(value)])).toEqual([
      ["board", "b1"],
      ["notify", "false"],
      ["text", ""],
      ["style", ""],
      ["author.name", "Hazel"],
      // It has no value to be fixed at.
      ["author.id", ""],
    ]);
    const open = withOpen(fixed, gridRows(fixed));
    expect(gridRows(open)).toEqual(rows);
    // The author is sent with it, also by who gives none.
    const { content } = fixed["requestBody"] as {
      content: Record<string, { schema: { required: string[] } }>;
    };
    expect(content["application/json"]?.schema.required).toEqual(["text", "author"]);
  });

  it("has the fields of a pasted body, too, and fixes them", () => {
    const example = { text: "Hello", author: { name: "Hazel" } };
    const pasted: JsonObject = { requestBody: { content: { "application/json": { example } } } };
    const found = gridRows(pasted);
    expect(found.map(({ key }) => key)).toEqual(["body text", "body author.name"]);
    // What is fixed does not hide the others.
    expect(gridRows(withFixed(pasted, found.slice(0, 1))).map(({ key }) => key)).toEqual([
      "body text",
      "body author.name",
    ]);
    expect(withFixed(pasted, found)).toEqual({
      requestBody: {
        content: {
          "application/json": {
            example,
            schema: {
              required: ["author"],
              properties: { text: { const: "Hello" }, author: { properties: { name: { const: "Hazel" } } } },
            },
          },
        },
      },
    });
  });

  it("gives a row another title", () => {
    const titled = withTitle(operation, named("author.name")[0] as never, "Who writes");
    expect(gridRows(titled).find(({ name }) => name === "author.name")?.title).toBe("Who writes");
    expect(withTitle(titled, named("author.name")[0] as never, " ")).toEqual(operation);
  });
});

describe("the scopes of an operation", () => {
  it("are found in a list, and in a line of documentation", () => {
    expect(scopesIn("orders read_all")).toEqual(["orders", "read_all"]);
    expect(
      scopesIn("Requires the scopes `orders:read` and orders.write.all (or https://api.example/auth/mail)."),
    ).toEqual(["orders:read", "orders.write.all", "https://api.example/auth/mail"]);
    expect(scopesIn("")).toEqual([]);
  });

  it("stand in its security requirement, whatever that is called", () => {
    expect(withScopes({}, ["a:b"])).toEqual({ security: [{ oauth2: ["a:b"] }] });
    const named_ = { security: [{ desk: ["a:b"] }], summary: "x" };
    expect(scopesOf(named_)).toEqual(["a:b"]);
    expect(withScopes(named_, ["c:d"])).toEqual({ security: [{ desk: ["c:d"] }], summary: "x" });
    expect(withScopes(named_, [])).toEqual({ summary: "x" });
  });
});
