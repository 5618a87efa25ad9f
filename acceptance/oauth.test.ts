import { routes } from "@copper-kettle/contract";
import { ledgerOffice, staffClient, staffPostClient, staffResource } from "@copper-kettle/standins";
import { createHash, X509Certificate } from "node:crypto";
import { exportJWK, exportPKCS8, generateKeyPair } from "jose";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Authority } from "./certificates.kit.js";
import { arrived, settings } from "./kit.js";
import { OAuthWorld } from "./oauth.kit.js";

/** A credential's name from the words of a test. */
function slug(words: string): string {
  return words
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .slice(0, 40)
    .replace(/-$/, "");
}

describe("oauth2", () => {
  let it_: OAuthWorld;
  let privateKey: string;
  let otherKey: string;
  beforeAll(async () => {
    it_ = await OAuthWorld.start();
    const [pair, other] = await Promise.all([
      generateKeyPair("RS256", { extractable: true }),
      generateKeyPair("RS256", { extractable: true }),
    ]);
    privateKey = await exportPKCS8(pair.privateKey);
    otherKey = await exportPKCS8(other.privateKey);
    await settings(it_.identity, { ledgerJwk: { ...(await exportJWK(pair.publicKey)), alg: "RS256" } });
  });
  afterAll(() => it_.close());

  const boards = (more: object = {}) => it_.boardsInput(more);
  const office = (more: object = {}) => it_.officeInput(more);
  const machine = (more: object = {}) => it_.machineInput({ privateKey, ...more });

  it.each<[string, () => object, () => string]>([
    ["client-credentials", () => it_.staffInput(), () => `${it_.staff.url}/people`],
    [
      "client-credentials by client_secret_post, with resource (RFC 8707) and a token URL",
      () => ({
        ...it_.staffInput({
          issuer: undefined,
          tokenUrl: `${it_.identity.url}/token`,
          clientId: staffPostClient.id,
          clientSecret: staffPostClient.secret,
          clientAuth: "client_secret_post",
          scopes: ["staff:read"],
          audience: undefined,
          resource: [staffResource],
        }),
      }),
      () => `${it_.staff.url}/people`,
    ],
    ["client-credentials by private_key_jwt", machine, () => `${it_.ledger.url}/accounts`],
    ["password", office, () => `${it_.ledger.url}/accounts`],
    [
      "jwt-bearer",
      () => machine({ grant: "jwt-bearer", audience: undefined, assertion: { subject: "ines" } }),
      () => `${it_.ledger.url}/accounts`,
    ],
  ])("%s: a workflow's calls are taken, with one token for all", async (what, input, url) => {
    const name = slug(`by ${what}`);
    await it_.put(name, input() as never);
    await it_.caller(`use-${name}`, name, url());
    const before = (await it_.tokenRequests()).length;
    const runs = [];
    for (let count = 0; count < 3; count++)
      runs.push(await it_.world.settled((await it_.world.run(`use-${name}`)).id));
    expect(runs.map((run) => run.error)).toEqual([null, null, null]);
    expect(runs[0]?.response?.body).toMatchObject({ items: expect.any(Array) });
    expect((await it_.tokenRequests()).length - before).toBe(1);
    expect(await it_.detail(name)).toMatchObject({ state: "ready", lastWorkedAt: expect.any(String) });
  });

  it("an authorization code with PKCE: a person signs in, and calls are taken as theirs", async () => {
    await it_.put("boards-marit", boards());
    expect(await it_.detail("boards-marit")).toMatchObject({
      state: "sign-in",
      redirectUri: `${it_.world.url}/oauth/callback`,
      scopes: [{ scope: "openid", asked: true, granted: null }, {}, {}],
    });
    expect(await it_.signIn("boards-marit")).toContain("boards-marit is signed in as marit.");
    const authorize = (await arrived(it_.identity)).find(({ path }) => path === "/auth");
    expect(authorize?.query).toMatchObject({
      code_challenge_method: "S256",
      redirect_uri: `${it_.world.url}/oauth/callback`,
    });
    expect(await it_.detail("boards-marit")).toMatchObject({
      state: "ready",
      token: { subject: "marit", refreshable: true, claims: { iss: it_.identity.url } },
      scopes: [
        { scope: "openid", granted: true },
        { scope: "boards:read", granted: true },
        { scope: "boards:write", granted: true },
      ],
    });
    await it_.caller("read-board", "boards-marit", `${it_.boards.url}/boards/eyrie/posts`);
    expect((await it_.world.settled((await it_.world.run("read-board")).id)).response?.body).toEqual({
      items: [],
    });
  });

  it("a callback is worth nothing without a sign-in that was begun here, and only once", async () => {
    const forged = await fetch(`${it_.world.url}/oauth/callback?state=x&code=y`);
    expect([forged.status, await forged.text()]).toEqual([
      400,
      expect.stringContaining("This sign-in is unknown"),
    ]);
    expect(await it_.signIn("boards-marit", "refuse")).toContain("Nobody has consented");
    expect((await it_.detail("boards-marit")).state).toBe("ready");
  });

  it.each<[string, string, () => object, string | undefined, string]>([
    [
      "a wrong secret",
      "wrong-client-secret",
      () => it_.staffInput({ clientSecret: "sc-wrong-wrong" }),
      undefined,
      "is known, but its secret is wrong",
    ],
    [
      "an unknown client",
      "unknown-client",
      () => it_.staffInput({ clientId: "staff-rowbot" }),
      undefined,
      '"staff-rowbot" is unknown',
    ],
    [
      "a wrong client authentication method",
      "wrong-client-auth",
      () =>
        it_.staffInput({
          clientId: staffPostClient.id,
          clientSecret: staffPostClient.secret,
          scopes: ["staff:read"],
        }),
      undefined,
      "must prove itself by client_secret_post",
    ],
    [
      "a wrong audience",
      "wrong-audience",
      () => it_.staffInput({ audience: "https://stuff.example" }),
      undefined,
      "https://stuff.example",
    ],
    [
      "a scope that was not granted",
      "scope-missing",
      () => it_.staffInput({ scopes: ["staff:read", "staff:admin"] }),
      undefined,
      "without these scopes: staff:admin",
    ],
    [
      "a scope that an operation wants",
      "scope-missing",
      () => it_.staffInput({ scopes: ["staff:write"] }),
      "staff/people",
      "staff:read",
    ],
    [
      "a token for no API in particular",
      "other-resource",
      () => it_.staffInput({ audience: undefined }),
      "staff/people",
      "asks for none",
    ],
    [
      "a token for another API",
      "other-resource",
      () => machine(),
      "staff/people",
      "https://ledger.larkspur.example",
    ],
    [
      "a grant that the client may not use",
      "grant-not-allowed",
      () => office({ grant: "client-credentials", password: undefined, user: undefined }),
      undefined,
      "client-credentials",
    ],
    [
      "a wrong password",
      "wrong-password",
      () => office({ password: "sheep & 12 huts" }),
      undefined,
      'The user "ines"',
    ],
    [
      "a wrong key",
      "wrong-client-secret",
      () => machine({ privateKey: otherKey }),
      undefined,
      "key is not the one",
    ],
    [
      "an assertion for another",
      "wrong-audience",
      () =>
        machine({
          grant: "jwt-bearer",
          audience: undefined,
          assertion: { audience: "https://else.example" },
        }),
      undefined,
      "another audience",
    ],
    [
      "a redirect URI that is not registered",
      "redirect-not-registered",
      () => boards(),
      undefined,
      "/oauth/callback",
    ],
    [
      "a sign-in with an unknown client",
      "unknown-client",
      () => boards({ clientId: "boards-cosnole" }),
      undefined,
      '"boards-cosnole"',
    ],
    ["a sign-in that is still to come", "sign-in", () => boards(), undefined, "a person has to sign in"],
    [
      "half of it",
      "incomplete",
      () => it_.staffInput({ clientSecret: undefined }),
      undefined,
      "clientSecret",
    ],
  ])("check now explains %s: %s", async (what, code, input, at, words) => {
    const name = slug(`check ${what}`);
    await it_.put(name, input() as never);
    if (code === "redirect-not-registered")
      await settings(it_.identity, { redirectUris: ["https://else.example/back"] });
    const [api, path] = (at ?? "").split("/");
    const url = at === undefined ? undefined : `${it_[api as "staff"].url}/${path}`;
    const result = await it_.check(name, url);
    expect(result).toMatchObject({ ok: false, code, sentence: expect.stringContaining(words) });
    for (const secret of [staffClient.secret, ledgerOffice.password, privateKey.slice(60, 100)])
      expect(JSON.stringify(result)).not.toContain(secret);
    await it_.registerRedirectUri();
  });

  it("a clock that is off is measured, and allowed for; where that does not help, it is said", async () => {
    await settings(it_.identity, { dateOffset: -600_000 });
    await it_.put("off", machine());
    const before = (await it_.tokenRequests()).length;
    expect(await it_.check("off")).toMatchObject({ ok: true });
    expect((await it_.tokenRequests()).length - before).toBe(2);
    expect(await it_.check("off")).toMatchObject({ ok: true });
    expect((await it_.tokenRequests()).length - before, "what was measured is kept").toBe(3);
    await settings(it_.identity, { dateOffset: -7_200_000 });
    const result = await it_.check("off").finally(() => settings(it_.identity, { dateOffset: 0 }));
    expect(result).toMatchObject({
      ok: false,
      code: "clock-off",
      sentence: expect.stringContaining("clock is 2 h ahead of"),
    });
  });

  it("an assertion names its certificate by thumbprint, its key by id, and what was asked for besides", async () => {
    const pair = new Authority("Larkspur authority").make("ledger-machine");
    await it_.put(
      "thumbprint",
      machine({ ...pair, keyId: "huts-1", parameters: { organisation: "huts" }, resource: [staffResource] }),
    );
    expect(await it_.check("thumbprint")).toMatchObject({ ok: false });
    const asked = (await it_.tokenRequests()).at(-1) ?? {};
    expect(asked).toMatchObject({
      grant_type: "client_credentials",
      organisation: "huts",
      resource: staffResource,
    });
    const [header, payload] = (asked["client_assertion"] ?? "")
      .split(".")
      .slice(0, 2)
      .map((part) => JSON.parse(Buffer.from(part, "base64url").toString()) as Record<string, string>);
    const digest = (name: string) =>
      createHash(name).update(new X509Certificate(pair.certificate).raw).digest("base64url");
    expect(header).toMatchObject({
      alg: "RS256",
      kid: "huts-1",
      x5t: digest("sha1"),
      "x5t#S256": digest("sha256"),
    });
    expect(payload).toMatchObject({ iss: "ledger-machine", sub: "ledger-machine", aud: it_.identity.url });
  });

  it("the request sheet says what the API needs, and what is to come back", async () => {
    await it_.put("sheet", boards({ clientSecret: undefined }));
    const { markdown } = await it_.world.client.call(routes.requestSheet, { params: { name: "sheet" } });
    expect(markdown).toContain(`| Redirect URI | \`${it_.world.url}/oauth/callback\` |`);
    expect(markdown).toContain("`boards:read`, `boards:write`");
    expect(markdown).toContain(`${it_.identity.url}/auth?`);
    expect(markdown).toContain("- the client secret");
    expect(markdown).not.toContain("- the client id");
  });

  it("a workflow says which scopes its operations want that its credential has not, before a run needs them", async () => {
    const { client } = it_.world;
    await it_.put("reader", it_.staffInput({ scopes: ["staff:read"] }));
    await client.call(routes.putApi, {
      params: { name: "staff" },
      body: { url: `${it_.staff.url}/openapi.yaml`, server: it_.staff.url, credential: "reader" },
    });
    const text =
      "copper-kettle: 1\nname: plan\nsteps:\n  - { step: people, operation: staff.listPeople }\n  - { step: open, operation: staff.openSeason, body: { json: { hut: eyrie, name: Summer } } }\n";
    await it_.world.publish(text);
    const scopes = async () => (await client.call(routes.workflow, { params: { name: "plan" } })).scopes;
    const lacking = {
      step: "open",
      line: 5,
      credential: "reader",
      wanted: ["staff:write"],
      missing: ["staff:write"],
    };
    expect(await scopes()).toMatchObject([
      { step: "people", missing: [] },
      { ...lacking, known: "asked", has: ["staff:read"] },
    ]);
    // Once there is a token, what it says counts.
    await it_.check("reader");
    expect((await scopes())[1]).toMatchObject({ ...lacking, known: "token" });
    expect((await it_.world.ckettle(["workflow", "show", "plan"])).out).toContain(
      "staff.openSeason wants the scope staff:write, which the token of reader has not",
    );
  });
});
