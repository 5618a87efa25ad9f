import type { Json, JsonObject } from "@copper-kettle/core";
import { describe, expect, it } from "vitest";
import { likeObjects } from "./like-objects.js";

describe("a list of like objects", () => {
  it("is found as the value itself, or as one of its fields", () => {
    const rows: JsonObject[] = [{ id: 1, name: "a" }, { id: 2 }, { id: 3, name: "c" }];
    expect(likeObjects(rows)).toEqual({ at: "", rows, columns: ["id", "name"] });
    expect(likeObjects({ total: 3, items: rows })).toMatchObject({ at: "items", columns: ["id", "name"] });
  });

  it("is not what differs from row to row, nor one row, nor plain values", () => {
    const others: Json[] = [
      [{ a: 1 }, { b: 1 }, { c: 1 }] as Json,
      [{ a: 1 }],
      [1, 2],
      { a: 1 },
      null,
      "x",
      [{}, {}],
    ];
    for (const value of others) expect(likeObjects(value)).toBeUndefined();
  });
});
