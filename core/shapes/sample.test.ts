import { describe, expect, it } from "vitest";
import { sampleOfShape } from "./sample.js";
import { anything, listOf, objectOf, ofKind, ofSchema, type Shape } from "./shape.js";

describe("a sample of a shape", () => {
  it("is the example of the schema, else the plainest value", () => {
    const shape = ofSchema({
      type: "object",
      properties: {
        id: { type: "string", example: "g-9" },
        beds: { type: "integer" },
        state: { enum: ["open", "closed"], type: "string" },
        tags: { type: "array", items: { type: "string", examples: ["early"] } },
        hut: { type: "object", properties: { name: { type: "string", default: "Corrie" } } },
        other: {},
        nothing: { type: "null" },
      },
    });
    expect(sampleOfShape(shape)).toEqual({
      id: "g-9",
      beds: 1,
      state: "open",
      tags: ["early"],
      hut: { name: "Corrie" },
      nothing: null,
    });
  });

  it("says nothing of what nobody knows, and ends", () => {
    expect(sampleOfShape(anything)).toBeUndefined();
    expect(sampleOfShape(listOf(() => anything))).toEqual([]);
    const endless: Shape = listOf(() => endless);
    expect(JSON.stringify(sampleOfShape(endless)).length).toBeLessThan(100);
    const wide = objectOf(
      Object.fromEntries(Array.from({ length: 100 }, (_, at) => [`a${at}`, ofKind("text")])),
    );
    const wider = objectOf(Object.fromEntries(Array.from({ length: 100 }, (_, at) => [`b${at}`, wide])));
    expect(JSON.stringify(sampleOfShape(wider)).length).toBeLessThan(40_000);
  });
});
