import { describe, expect, it } from "vitest";
import { stillTrue } from "./faults.js";

describe("the faults of a form", () => {
  const faults = {
    name: "A name is needed.",
    "hosts.2": "Not a host.",
    hostsFile: "Not found.",
    other: "No.",
  };
  const before = { name: '""', hosts: '["a"]', hostsFile: '"x"' };

  it("go when their field changes, also that of an item of it, and no other", () => {
    expect(stillTrue(faults, before, { ...before, name: '"a"' })).toEqual({
      "hosts.2": faults["hosts.2"],
      hostsFile: faults.hostsFile,
    });
    expect(stillTrue(faults, before, { ...before, hosts: '["b"]' })).toEqual({
      name: faults.name,
      hostsFile: faults.hostsFile,
    });
  });

  it("go with any change where they are of no field", () => {
    expect(stillTrue({ other: "No." }, before, { ...before, name: '"a"' })).toEqual({});
  });
});
