import { routes, type CredentialInput } from "@copper-kettle/contract";
import { startStandIn, stays, staysKey, type StandIn } from "@copper-kettle/standins";
import { generateKeyPairSync, X509Certificate } from "node:crypto";
import { createServer, type Server } from "node:https";
import type { AddressInfo } from "node:net";
import type { TLSSocket } from "node:tls";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Authority, type Pair } from "./certificates.kit.js";
import { World } from "./kit.js";

describe("mutual TLS", () => {
  const authority = new Authority("Larkspur authority");
  const strangers = new Authority("Somebody else");
  const office = authority.make("office.larkspur.example");
  const world_: { tokens?: Server; askedWith: string[] } = { askedWith: [] };
  let world: World;
  let far: StandIn;
  let tokenUrl: string;
  beforeAll(async () => {
    const server = authority.make("stays.larkspur.example");
    const tls = { cert: server.certificate, key: server.privateKey, ca: authority.pem };
    far = await startStandIn(stays(), 0, tls);
    // A token endpoint that knows its client by its certificate (RFC 8705), and one of its own kind of token.
    const tokens = createServer({ ...tls, requestCert: true }, (request, response) => {
      world_.askedWith.push((request.socket as TLSSocket).getPeerCertificate().subject.CN as string);
      response.setHeader("Content-Type", "application/json");
      response.end(JSON.stringify({ access_token: staysKey, token_type: "Bearer", expires_in: 600 }));
    });
    world_.tokens = tokens;
    await new Promise<void>((resolve) => tokens.listen(0, "127.0.0.1", resolve));
    tokenUrl = `https://127.0.0.1:${(tokens.address() as AddressInfo).port}/token`;
    world = await World.start({ demo: false, env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
  });
  afterAll(async () => {
    await world.close();
    await far.close();
    world_.tokens?.closeAllConnections();
    world_.tokens?.close();
  });
  const put = (name: string, body: object) =>
    world.client.call(routes.putCredential, { params: { name }, body: body as CredentialInput });
  const check = (name: string) =>
    world.client.call(routes.checkCredential, { params: { name }, body: { url: `${far.url}/guests` } });
  const tls = (pair: Partial<Pair>, more: object = {}) => ({
    kind: "mutual-tls",
    authority: authority.pem,
    ...pair,
    ...more,
  });

  it("shows our certificate, and holds the API to an authority of its own", async () => {
    await put("office", tls(office));
    // The connection is taken; what is missing now is the key of the API itself.
    expect(await check("office")).toMatchObject({
      status: 401,
      sentence: expect.stringContaining("Authorization is missing"),
    });
    const detail = await world.client.call(routes.credential, { params: { name: "office" } });
    expect(detail).toMatchObject({
      shown: [{ place: "tls", name: "client certificate", value: "•••" }],
      certificates: [{ subject: "CN=office.larkspur.example" }],
      endsAt: new Date(Date.parse(new X509Certificate(office.certificate).validTo)).toISOString(),
    });
    expect(JSON.stringify(detail)).not.toContain(office.privateKey.split("\n")[1]);
  });

  it("is opened from a PKCS#12 file, and says when its passphrase is wrong", async () => {
    const pkcs12 = authority.pkcs12(office, "twelve huts");
    await put("from-file", {
      kind: "mutual-tls",
      pkcs12,
      passphrase: "twelve huts",
      authority: authority.pem,
    });
    expect(await check("from-file")).toMatchObject({ status: 401 });
    const wrong = { kind: "mutual-tls", pkcs12, passphrase: "eleven huts" };
    await expect(put("wrong", wrong)).rejects.toMatchObject({
      problem: { errors: [{ field: "passphrase" }] },
    });
  });

  it.each<[string, () => object, string, string]>([
    [
      "a key that belongs to another certificate",
      () => tls({ ...office, privateKey: authority.make("x").privateKey }),
      "privateKey",
      "does not belong to the certificate of CN=office",
    ],
    [
      "a key where the certificate should be",
      () => tls({ ...office, certificate: office.privateKey }),
      "certificate",
      "a private key, not a certificate",
    ],
    ["no key at all", () => tls({ ...office, privateKey: "sk-1234" }), "privateKey", "not a private key"],
    [
      "an encrypted key without its passphrase",
      () => tls({ ...office, privateKey: encrypted }),
      "passphrase",
      "Give its passphrase",
    ],
    [
      "an authority that is none",
      () => tls(office, { authority: "nothing" }),
      "authority",
      "no certificate in this text",
    ],
  ])("refuses %s, at its field", async (_what, input, field, words) => {
    await expect(put("bad", input())).rejects.toMatchObject({
      problem: { status: 422, errors: [{ field, message: expect.stringContaining(words) }] },
    });
  });

  it.each<[string, () => object, string, string]>([
    [
      "a certificate that has expired",
      () => tls(authority.make("old.example", Date.now() - 86_400_000)),
      "certificate-expired",
      "expired on",
    ],
    [
      "a certificate of another authority",
      () => tls(strangers.make("stranger.example")),
      "certificate-refused",
      "authority",
    ],
    ["none", () => ({ kind: "bearer", token: staysKey }), "no-response", "from an unknown authority"],
    [
      "an API of another authority",
      () => tls(office, { authority: strangers.pem }),
      "no-response",
      "from an unknown authority",
    ],
  ])("check now explains %s", async (_what, input, code, words) => {
    await put("checked", input());
    expect(await check("checked")).toMatchObject({
      ok: false,
      code,
      sentence: expect.stringContaining(words),
    });
  });

  it("proves an OAuth client (tls_client_auth), and goes along with the token", async () => {
    await put("bound", {
      kind: "oauth2",
      grant: "client-credentials",
      clientId: "office",
      clientAuth: "tls_client_auth",
      tokenUrl,
      scopes: [],
      ...office,
      authority: authority.pem,
    });
    expect(await check("bound")).toMatchObject({ ok: true, status: 200 });
    expect(world_.askedWith).toEqual(["office.larkspur.example"]);
  });

  it("warns of its end by itself", async () => {
    await put("soon", tls(authority.make("soon.example", Date.now() + 5 * 86_400_000)));
    const { credentials } = await world.client.call(routes.home);
    expect(credentials).toContainEqual({
      name: "soon",
      state: "unchecked",
      sentence: expect.stringMatching(/^Its certificate expires on \d{4}-\d\d-\d\d, in 4 d\./),
      waiting: 0,
    });
  });

  const encrypted = generateKeyPairSync("rsa", {
    modulusLength: 2048,
    publicKeyEncoding: { type: "spki", format: "pem" },
    privateKeyEncoding: { type: "pkcs8", format: "pem", cipher: "aes-256-cbc", passphrase: "twelve huts" },
  }).privateKey;
});
