import { describe, expect, it } from "vitest";
import { quickest } from "../quickest.test.kit.js";
import { forwardedFor } from "./forwarded.js";

// The examples of RFC 7239, sections 4 and 7.1.
describe("Forwarded", () => {
  it.each([
    ['for="_gazonk"', ["_gazonk"]],
    ['For="[2001:db8:cafe::17]:4711"', ["2001:db8:cafe::17"]],
    ["for=192.0.2.60;proto=http;by=203.0.113.43", ["192.0.2.60"]],
    ["for=192.0.2.43, for=198.51.100.17", ["192.0.2.43", "198.51.100.17"]],
    ['for=192.0.2.43,for="[2001:db8:cafe::17]",for=unknown', ["192.0.2.43", "2001:db8:cafe::17", "unknown"]],
    ['by=203.0.113.43;for="192.0.2.43:47011"', ["192.0.2.43"]],
    ["proto=https", []],
    ['for="192.0.2.1', []],
  ])("%s", (field, addresses) => expect(forwardedFor(field)).toEqual(addresses));

  it("costs no more for a field made to be costly", () => {
    const took = quickest(() => {
      forwardedFor(`for="${"\\".repeat(8_000)}`);
      forwardedFor("for=".repeat(2_000));
    });
    expect(took).toBeLessThan(200);
  });
});
