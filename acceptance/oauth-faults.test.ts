import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { faults } from "./kit.js";
import { OAuthWorld } from "./oauth.kit.js";

describe("token endpoints as they are", () => {
  let it_: OAuthWorld;
  beforeAll(async () => {
    it_ = await OAuthWorld.start();
  });
  afterAll(() => it_.close());

  it.each<[string, object, string]>([
    ["down", { drop: "before" }, "closed before the full response arrived"],
    [
      "an HTML page",
      { status: 200, headers: { "Content-Type": "text/html" }, body: "<h1>Welcome</h1>" },
      "an HTML page. Is it the token endpoint?",
    ],
    [
      "200 with an error",
      { status: 200, body: { error: "invalid_scope", error_description: "no such scope" } },
      "may not ask for all of these scopes",
    ],
    ["no access token", { status: 200, body: { token: "abc" } }, "cannot be used"],
    [
      "another type of token",
      { status: 200, body: { access_token: "t-0123456789", token_type: "mac" } },
      "not a bearer token",
    ],
    ["5 MB", { status: 200, body: { access_token: "t".repeat(5_000_000) } }, "larger than 1048576 bytes"],
    [
      "a redirect",
      { status: 302, headers: { Location: "/elsewhere", "Content-Type": "text/html" }, body: "moved" },
      "It redirects to /elsewhere",
    ],
    [
      "that the certificate has run out",
      {
        status: 401,
        body: { error: "invalid_client", error_description: "The client certificate has expired" },
      },
      "The certificate has expired. Give the credential a new one.",
    ],
    [
      "busy",
      { status: 503, body: { error: "temporarily_unavailable" } },
      "cannot give a token at the moment",
    ],
  ])("a token endpoint that answers %s: a clear error", async (what, fault, words) => {
    await it_.put("odd", it_.staffInput());
    await faults(it_.identity, [{ path: "/token", ...fault }]);
    const result = await it_.check("odd").finally(() => faults(it_.identity, []));
    expect(result.sentence).toContain(words);
    expect(result.sentence.length, what).toBeLessThan(600);
    expect(await it_.check("odd")).toMatchObject({ ok: true });
  });

  it.each<[string, object]>([
    ["without token_type and expires_in", { access_token: "TOKEN" }],
    ["with numbers as text", { access_token: "TOKEN", token_type: "bearer", expires_in: "600" }],
    ["form-encoded, with status 201", {}],
  ])("takes a response %s", async (what, answer) => {
    await it_.put("plain", it_.staffInput());
    const form = what.startsWith("form");
    await faults(it_.identity, [
      {
        path: "/token",
        status: form ? 201 : 200,
        ...(form
          ? {
              headers: { "Content-Type": "application/x-www-form-urlencoded" },
              body: "access_token=TOKEN&expires_in=60",
            }
          : { body: answer }),
      },
    ]);
    expect(await it_.check("plain").finally(() => faults(it_.identity, []))).toMatchObject({ ok: true });
    const { token } = await it_.detail("plain");
    expect(token?.expiresAt === null).toBe(what.startsWith("without"));
  });
});
