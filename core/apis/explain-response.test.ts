import { describe, expect, it } from "vitest";
import { missingInWords } from "../credentials/parts.js";
import { explainAnswer } from "./explain-response.js";

const request = {
  method: "GET",
  url: "https://stays.example/guests/7",
  headers: [["Accept", "application/json"]] as [string, string][],
};
const explained = (answer: object, more: object = {}) =>
  explainAnswer({ status: 200, headers: {}, body: null, ...answer }, { ...request, ...more });

describe("what a response means", () => {
  it("is not said of one that speaks for itself", () => {
    expect(explained({})).toBeNull();
    expect(explained({ status: 302 })).toBeNull();
  });

  it("quotes what the body says of a thing that is not there", () => {
    expect(explained({ status: 404, body: { error: "Object Not Found", reason: "Not Found" } })).toBe(
      "The address, or what it names, does not exist. It says: Not Found. Check the path, its parameters and the server.",
    );
    expect(explained({ status: 404 })).toContain("does not exist. Check the path");
  });

  it("says how CSV is read otherwise, and of JSON that it may be cut off", () => {
    const csv = { headers: { "content-type": "text/csv" }, fault: "Line 3 has 2 columns." };
    expect(explained(csv)).toContain('read: { csv: { separator: ";" } }');
    const json = { headers: { "content-type": "application/json" }, fault: "It breaks off." };
    expect(explained(json)).toContain("cut off on its way");
  });

  it("shows the text of a page for people", () => {
    const body = `<html><head><title>x</title><style>a{}</style></head><body><h1>Sign in</h1><p>with your ${"key ".repeat(100)}</p></body></html>`;
    const said = explained({ status: 403, headers: { "content-type": "text/html" }, body }) ?? "";
    expect(said).toContain("It says: Sign in with your key key");
    expect(said).not.toContain("<");
    expect(said.length).toBeLessThan(450);
  });

  it("names where a redirect leads, and what a call that writes can say", () => {
    const answer = { status: 307, headers: { location: "https://stays.example/v2" } };
    expect(explained(answer)).toBe(
      "The address redirects to https://stays.example/v2. Give that address instead.",
    );
    expect(explained(answer, { method: "POST" })).toContain("redirects: resend");
    expect(explained({ status: 304 })).toContain("Nothing has changed");
  });

  it("takes no longer for a page that never closes what it opens", () => {
    const body = "<style>".repeat(200_000);
    expect(explained({ status: 500, headers: { "content-type": "text/html" }, body })).toContain("HTML page");
  });
});

it("what a credential lacks is said in words", () => {
  expect(
    missingInWords({
      kind: "api-key",
      parts: [
        { place: "header", name: "X-Office", prefix: "", secret: "given-one" },
        { place: "query", name: "key", prefix: "", secret: "" },
      ],
    }),
  ).toEqual(["the secret of query key"]);
  const scheme = { base: "x", signature: "base" };
  expect(missingInWords({ kind: "signed", secrets: { pin: "" }, scheme })).toEqual(["the secret pin"]);
  expect(missingInWords({ kind: "basic", user: "marit", password: "" })).toEqual(["password"]);
});
