import { describe, expect, it } from "vitest";
import { firstMembers, sizeOf } from "./members.js";

describe("the members of a value", () => {
  it("are the first of a list or an object, however many there are, and none of anything else", () => {
    expect(firstMembers([5, 6, 7], 2)).toEqual([
      [0, 5],
      [1, 6],
    ]);
    expect(firstMembers({ a: 1, b: 2 }, 1)).toEqual([["a", 1]]);
    for (const none of [null, undefined, "text", 7, true]) {
      expect(firstMembers(none, 9)).toEqual([]);
      expect(sizeOf(none)).toBe(0);
    }
    expect([sizeOf([1, 2]), sizeOf({ a: 1 })]).toEqual([2, 1]);
  });
});
