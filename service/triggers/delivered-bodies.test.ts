import { describe, expect, it } from "vitest";
import { quickest } from "../quickest.test.kit.js";
import { formOf } from "./delivered-bodies.js";

describe("a form that is delivered", () => {
  it("is read by its names, with a list for one that comes again", () => {
    expect(formOf(Buffer.from("a=1&b=%2B+x&a=2&a=3&__proto__=y"))).toEqual(
      Object.fromEntries([
        ["a", ["1", "2", "3"]],
        ["b", "+ x"],
        ["__proto__", "y"],
      ]),
    );
  });

  it("costs no more for a name that comes a hundred thousand times", () => {
    const read = (count: number): number => {
      const body = Buffer.from("a=1&".repeat(count));
      return quickest(() => expect(formOf(body)["a"]).toHaveLength(count));
    };
    // Ten times as many cost about ten times as much, and not a hundred times.
    expect(read(100_000) / Math.max(read(10_000), 1)).toBeLessThan(50);
  });
});
