import { routes } from "@copper-kettle/contract";
import { describe, expect, it } from "vitest";
import { emptyForm, kinds, readCredential } from "./credential-form.js";

describe("the form of a credential", () => {
  it("has each kind that the contract has, and makes what the contract takes", () => {
    for (const { value } of kinds) {
      const form = { ...emptyForm(), name: "k", kind: value, token: "t", user: "u", password: "p" };
      form.parts[0] = { place: "header", name: "X-Api-Key", prefix: "", secret: "s" };
      form.secrets[0] = { name: "key", secret: "s" };
      const { input, faults } = readCredential(form);
      expect(faults).toEqual({});
      expect(routes.putCredential.body?.safeParse(input).success, value).toBe(true);
      expect(input.kind).toBe(value);
    }
  });

  it("keeps a prefix apart with one space, and reads hosts however they are separated", () => {
    const form = {
      ...emptyForm(),
      kind: "api-key" as const,
      hosts: "stays.example, boards.example:8443\n tanks.example",
    };
    form.parts = [{ place: "header", name: "Authorization", prefix: " Token ", secret: "s" }];
    expect(readCredential(form).input).toEqual({
      kind: "api-key",
      hosts: ["stays.example", "boards.example:8443", "tanks.example"],
      parts: [{ place: "header", name: "Authorization", prefix: "Token ", secret: "s" }],
    });
  });

  it("reads a scheme's headers line by line, and says which line is none", () => {
    const form = { ...emptyForm(), kind: "signed" as const };
    form.scheme.headers = "X-Time: ${time.seconds}\n\nX-Signature: v1=${signature}";
    expect(readCredential(form).input).toMatchObject({
      scheme: { headers: { "X-Time": "${time.seconds}", "X-Signature": "v1=${signature}" } },
    });
    form.scheme.headers = "no header here";
    expect(readCredential(form).faults["scheme.headers"]).toContain('"no header here"');
  });
});
