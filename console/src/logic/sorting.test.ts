import { describe, expect, it } from "vitest";
import { inOrder } from "./sorting.js";

const huts = [
  { name: "hut 10", beds: 8 },
  { name: "Corrie", beds: undefined },
  { name: "hut 9", beds: 24 },
  { name: "ashlar", beds: 8 },
];
const orders = {
  name: (hut: (typeof huts)[number]) => hut.name,
  beds: (hut: (typeof huts)[number]) => hut.beds,
};
const names = (order: string) => inOrder(huts, order, orders).map(({ name }) => name);

describe("the order of a list", () => {
  it("takes numbers in names as numbers, and no notice of capitals", () => {
    expect(names("name")).toEqual(["ashlar", "Corrie", "hut 9", "hut 10"]);
    expect(names("-name")).toEqual(["hut 10", "hut 9", "Corrie", "ashlar"]);
  });

  it("puts rows without a value last, either way, and leaves equal ones as they were", () => {
    expect(names("beds")).toEqual(["hut 10", "ashlar", "hut 9", "Corrie"]);
    expect(names("-beds")).toEqual(["hut 9", "hut 10", "ashlar", "Corrie"]);
  });

  it("is that of the list itself where there is no such order", () => {
    expect(names("nothing")).toEqual(huts.map(({ name }) => name));
  });
});
