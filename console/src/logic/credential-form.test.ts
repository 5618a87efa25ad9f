import { credentialsRoutes, type CredentialDetail } from "@copper-kettle/contract";
import { describe, expect, it } from "vitest";
import { emptyForm, formOf, kinds, readCredential, sentPreview } from "./credential-form.js";

describe("the form of a credential", () => {
  it("has each kind that the contract has, and makes what the contract takes", () => {
    for (const { value } of kinds) {
      const form = { ...emptyForm(), name: "k", kind: value, token: "t", user: "u", password: "p" };
      form.parts[0] = { place: "header", name: "X-Api-Key", prefix: "", secret: "s" };
      form.secrets[0] = { name: "key", secret: "s" };
      const { input, faults } = readCredential(form);
      expect(faults).toEqual({});
      expect(credentialsRoutes.putCredential.body?.safeParse(input).success, value).toBe(true);
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
      endsOn: null,
      mayUse: [],
      mayChange: [],
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

  it("is filled with all but the secrets of a credential, and gives back what it was filled with", () => {
    const detail = (kind: string, settings: object) =>
      ({
        name: "k",
        kind,
        hosts: ["a.example"],
        mayUse: ["ines"],
        mayChange: [],
        settings,
      }) as unknown as CredentialDetail;
    const common = { hosts: ["a.example"], endsOn: null, mayUse: ["ines"], mayChange: [] };
    const oauth = {
      grant: "authorization-code",
      issuer: "https://identity.example",
      clientId: "c",
      clientAuth: "client_secret_post",
      scopes: ["a", "b"],
      resource: ["https://r.example"],
      parameters: { organisation: "huts" },
      authorizationParameters: { prompt: "consent" },
      assertion: { audience: "https://x.example" },
    };
    expect(readCredential(formOf(detail("oauth2", oauth))).input).toEqual({
      kind: "oauth2",
      ...oauth,
      ...common,
    });
    const scheme = { base: "x", signature: "base", headers: { "X-Time": "t" }, query: { q: "1" } };
    expect(readCredential(formOf(detail("signed", { secrets: ["key"], scheme }))).input).toEqual({
      kind: "signed",
      secrets: { key: null },
      scheme,
      ...common,
    });
    const parts = [{ place: "query", name: "key", prefix: "" }];
    expect(readCredential(formOf(detail("api-key", { parts }))).input).toEqual({
      kind: "api-key",
      parts,
      ...common,
    });
    for (const login of [
      {
        request: "POST https://depot.example/session",
        headers: { "X-Yard": "east" },
        body: { json: { user: "${secret.user}" } },
        success: "status == 201",
        token: "body.key",
        attach: { header: "X-Session", value: "Key ${token}" },
        lives: "50m",
        refused: "status == 409",
        renew: { request: "POST https://depot.example/renew", headers: { "X-Session": "${token}" } },
      },
      { request: "GET https://depot.example/in", body: { text: "a" }, token: "body" },
      {
        request: "GET https://depot.example/in",
        cookie: "sid",
        attach: { cookie: "sid", value: "${token}" },
      },
    ])
      expect(readCredential(formOf(detail("login", { secrets: ["user"], scheme: login }))).input).toEqual({
        kind: "login",
        secrets: { user: null },
        scheme: login,
        ...common,
      });
    const tls = { certificate: "-----BEGIN CERTIFICATE-----", authority: "x" };
    expect(readCredential(formOf(detail("mutual-tls", tls))).input).toEqual({
      kind: "mutual-tls",
      ...tls,
      ...common,
    });
  });

  it("uses only the fields of its grant, and says which parameter is none", () => {
    const form = { ...emptyForm(), kind: "oauth2" as const };
    form.oauth = {
      ...form.oauth,
      grant: "password",
      clientSecret: "s",
      refreshToken: "left over",
      parameters: "oops",
    };
    form.password = "p";
    const { input, faults } = readCredential(form);
    expect(input).toMatchObject({ grant: "password", clientSecret: "s", password: "p" });
    expect(input).not.toHaveProperty("refreshToken");
    expect(faults["parameters"]).toContain('"oops" is not a parameter');
  });

  it("shows what will be sent while it is typed, never the secret", () => {
    const form = { ...emptyForm(), token: " Bearer sk-1234567 ", user: "desk", password: "copper pot" };
    expect(sentPreview(form)).toEqual(["Authorization: Bearer ••• (10 signs)"]);
    expect(sentPreview({ ...form, kind: "basic" })).toEqual([
      "Authorization: Basic desk:••• (10 signs), in Base64",
    ]);
    const parts = [
      { place: "header" as const, name: "X-Key", prefix: "Hut ", secret: "abc" },
      { place: "query" as const, name: "key", prefix: "", secret: "" },
    ];
    expect(sentPreview({ ...form, kind: "api-key", parts })).toEqual([
      "X-Key: Hut ••• (3 signs)",
      "query key: •••",
    ]);
    expect(sentPreview({ ...form, kind: "secret" })).toEqual([]);
  });
});
