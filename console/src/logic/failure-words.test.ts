import type { Entry } from "@copper-kettle/core";
import { describe, expect, it } from "vitest";
import { failureWords } from "./failure-words.js";
import { Waterfall } from "./waterfall.js";

/** The words for a call that ended with an attempt. */
function words(attempt: object, using?: string, code = "response"): string | undefined {
  const made = new Waterfall([]);
  const request = {
    method: "POST",
    url: "https://stays.example/guests",
    headers: [["Accept", "application/json"]],
  };
  const data = { request, ...(using ? { using } : {}) };
  made.take([
    { type: "begun", at: 1, path: "a", kind: "request", data } as unknown as Entry,
    { type: "attempt", at: 3, path: "a", attempt: 1, sentAt: 2, ...attempt } as Entry,
    { type: "ended", at: 4, path: "a", kind: "request", error: { code, message: "it failed" } } as Entry,
  ]);
  const row = made.rows.get("a");
  return row && failureWords(row);
}
const response = (status: number, body: unknown = null, headers: object = {}) => ({
  response: { status, headers, body, url: "https://stays.example/guests" },
});

describe("what a failure most likely means", () => {
  it("goes by the status, what the response holds, and who called", () => {
    expect(words(response(401), "stays-key")).toMatch(/does not accept the credential stays-key/);
    expect(words(response(401))).toMatch(/names no credential/);
    expect(words(response(403), "stays-key")).toMatch(/Perhaps the credential stays-key lacks a right/);
    expect(words(response(422, { field: "email" }))).toMatch(/It names "email"/);
    expect(words(response(503))).toMatch(/Try again in a moment/);
    expect(words(response(200, "<html>Sign in</html>", { "content-type": "text/html" }))).toMatch(
      /an HTML page instead of JSON/,
    );
    expect(words(response(200, {}, { "content-type": "application/json" }))).toBeUndefined();
  });

  it("goes by what became of the connection where no response came", () => {
    const failure = (kind: string) =>
      words({ failure: { kind, message: "it failed", sent: false } }, undefined, kind);
    for (const kind of ["connect", "dns", "timeout", "cut"]) expect(failure(kind)).toMatch(/[.?]$/);
    expect(failure("tls")).toBeUndefined();
    expect(words({ ...response(401), pretended: "fault" })).toBeUndefined();
    // A 404 that was taken for a success, behind which an expression failed, explains nothing.
    expect(words(response(404), undefined, "expression")).toBeUndefined();
  });
});
