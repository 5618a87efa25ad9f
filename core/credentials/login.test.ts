import { describe, expect, it } from "vitest";
import type { HttpResponse } from "../http/message.js";
import { authorize, describeCredential, secretsOf } from "./credential.js";
import {
  attached,
  checkLogin,
  loginRequest,
  readLogin,
  refusesToken,
  type LoginCredential,
  type LoginScheme,
} from "./login.js";
import { keepSecrets, missingParts, openParts } from "./parts.js";

const fresh = { now: 1_700_000_000_000, nonce: "7f3c" };
const scheme: LoginScheme = {
  request: "POST https://depot.example/session",
  body: { json: { user: "${secret.user}", password: "${secret.password}", roles: ["yard"] } },
  token: "body.session.key",
  attach: { header: "X-Session", value: "Key ${token}" },
  lives: "body.expiresIn",
};
const secrets = { user: "larkspur", password: "Sheep & 12 huts" };
const credential: LoginCredential = { kind: "login", secrets, scheme };
const response = (status: number, body: unknown, headers: HttpResponse["headers"] = {}): HttpResponse => ({
  status,
  headers: { "content-type": "application/json", ...headers },
  body: new TextEncoder().encode(JSON.stringify(body)),
  url: "https://depot.example/session",
});

describe("a login", () => {
  it("puts its request together from its secrets", () => {
    expect(loginRequest(credential, fresh)).toEqual({
      method: "POST",
      url: "https://depot.example/session",
      headers: [
        ["Accept", "application/json, */*;q=0.8"],
        ["Content-Type", "application/json"],
      ],
      body: '{"user":"larkspur","password":"Sheep & 12 huts","roles":["yard"]}',
    });
    const form: LoginScheme = {
      ...scheme,
      request: "POST https://depot.example/in?as=${secret.user}",
      headers: { "X-Yard": "east" },
      body: { form: { p: "${secret.password}" } },
    };
    expect(loginRequest({ ...credential, scheme: form }, fresh)).toMatchObject({
      url: "https://depot.example/in?as=larkspur",
      headers: expect.arrayContaining([["X-Yard", "east"]]) as unknown,
      body: "p=Sheep+%26+12+huts",
    });
    // What is put into an address is encoded by its place.
    const inUrl = { ...scheme, request: "GET https://depot.example/in/${secret.user}?p=${secret.password}" };
    expect(loginRequest({ ...credential, scheme: inUrl }, fresh).url).toBe(
      "https://depot.example/in/larkspur?p=Sheep%20%26%2012%20huts",
    );
    const renew = { request: "PUT https://depot.example/session", body: { text: "${token}" } };
    expect(loginRequest({ ...credential, scheme: { ...scheme, renew } }, fresh, "t1")).toMatchObject({
      method: "PUT",
      body: "t1",
    });
  });

  it("reads token and life out of the response, or says which field does not fit it", () => {
    const read = (more: Partial<LoginScheme>, given: HttpResponse) =>
      readLogin({ ...credential, scheme: { ...scheme, ...more } }, given, fresh.now);
    const good = response(
      201,
      { session: { key: "k1" }, expiresIn: 50 },
      { "set-cookie": ["sid=a+/b=; Path=/"] },
    );
    expect(read({}, good)).toEqual({ token: "k1", lives: 50_000 });
    expect(read({ lives: "20m" }, good)).toEqual({ token: "k1", lives: 1_200_000 });
    const { token: _none, ...byCookie } = scheme;
    expect(
      readLogin({ ...credential, scheme: { ...byCookie, cookie: "sid", lives: "1h" } }, good, 0),
    ).toEqual({
      token: "a+/b=",
      lives: 3_600_000,
    });
    expect(read({ token: "body.number" }, response(200, { number: 12345678901, expiresIn: "5m" }))).toEqual({
      token: "12345678901",
      lives: 300_000,
    });
    expect(read({}, response(401, {}))).toMatchObject({ fault: expect.stringContaining("does not hold") });
    expect(read({}, response(200, { expiresIn: 5 }))).toMatchObject({
      fault: expect.stringContaining('"token" cannot be computed'),
    });
    expect(read({ token: "body" }, good)).toMatchObject({ fault: expect.stringContaining("gave a mapping") });
    expect(read({ lives: "body.session.key" }, good)).toMatchObject({
      fault: expect.stringContaining('"lives"'),
    });
    expect(readLogin({ ...credential, scheme: { ...byCookie, cookie: "session" } }, good, 0)).toMatchObject({
      fault: expect.stringContaining("no such cookie"),
    });
  });

  it("attaches the token where it belongs, and shows it masked", () => {
    const request = {
      method: "GET",
      url: "https://depot.example/pallets",
      headers: [["Cookie", "a=1"]] as [string, string][],
    };
    const sent = (more: Partial<LoginScheme>) => {
      const { attach: _none, ...rest } = scheme;
      return authorize(request, attached({ ...credential, scheme: { ...rest, ...more } }, "t+/1="), fresh);
    };
    expect(sent({ attach: { header: "X-Session", value: "Key ${token}" } })).toEqual({
      request: {
        ...request,
        headers: [
          ["Cookie", "a=1"],
          ["X-Session", "Key t+/1="],
        ],
      },
      shown: [{ place: "header", name: "X-Session", value: "Key •••" }],
    });
    expect(sent({}).request.headers).toContainEqual(["Authorization", "Bearer t+/1="]);
    expect(sent({ attach: { query: "key" } }).request.url).toBe(
      "https://depot.example/pallets?key=t%2B%2F1%3D",
    );
    // A cookie goes back as it came.
    expect(sent({ token: undefined, cookie: "sid" } as never).request.headers).toEqual([
      ["Cookie", "a=1; sid=t+/1="],
    ]);
    expect(describeCredential(credential)).toEqual([
      { place: "header", name: "X-Session", value: "Key •••" },
    ]);
    expect(secretsOf(attached(credential, "t1"))).toEqual(["t1", "Key t1"]);
  });

  it("knows the response that means that the token has ended", () => {
    const seen = { status: 409, headers: {}, body: { code: "session-ended" } };
    expect(refusesToken(credential, { ...seen, status: 401 })).toBe(true);
    expect(refusesToken(credential, seen)).toBe(false);
    const own: LoginCredential = {
      ...credential,
      scheme: { ...scheme, refused: 'status == 409 && body.code == "session-ended"' },
    };
    expect(refusesToken(own, seen)).toBe(true);
    expect(refusesToken(own, { ...seen, body: null })).toBe(false);
    expect(refusesToken(own, { ...seen, status: 401 })).toBe(false);
  });

  it.each<[string, Partial<Record<keyof LoginScheme, unknown>>, string, string]>([
    ["no URL", { request: "POST /session" }, "request", "with its host written out"],
    [
      "a host out of a secret",
      { request: "POST https://${secret.user}/x" },
      "request",
      "with its host written out",
    ],
    [
      "a user in the URL",
      { request: "POST https://a@depot.example/x" },
      "request",
      "with its host written out",
    ],
    ["an unknown secret", { body: { json: { a: ["${secret.pin}"] } } }, "body", 'There is no secret "pin"'],
    ["an unknown name", { headers: { A: "${inputs.a}" } }, "headers.A", 'There is no "inputs"'],
    ["two bodies", { body: { text: "a", json: {} } }, "body", "one of them"],
    ["token and cookie", { cookie: "sid" }, "token", "and not both"],
    ["neither", { token: undefined }, "token", "and not both"],
    ["a broken expression", { success: "status =" }, "success", "success:"],
    ["an expression over nothing", { token: "session.key" }, "token", 'There is no "session"'],
    ["two places", { attach: { header: "A", query: "b" } }, "attach", "one of them"],
    ["a renewal of nothing", { renew: { request: "GET x" } }, "renew.request", "with its host written out"],
  ])("refuses %s, by its field", (_what, change, field, message) => {
    const broken = { ...scheme, ...change } as LoginScheme;
    expect(() => checkLogin(broken, Object.keys(secrets))).toThrow(
      expect.objectContaining({ field, message: expect.stringContaining(message) as string }),
    );
  });

  it("takes what is whole, and keeps the secrets that a change leaves out", () => {
    expect(() =>
      checkLogin({ ...scheme, renew: { request: "GET https://depot.example/${token}" } }, [
        "user",
        "password",
      ]),
    ).not.toThrow();
    expect(missingParts({ ...credential, secrets: { user: "a", password: "" } })).toEqual([
      "secrets.password",
    ]);
    expect(openParts(credential)).toEqual({ scheme, secrets: ["user", "password"] });
    expect(
      keepSecrets({ ...credential, secrets: { user: "hazel", password: "" } }, credential).secrets,
    ).toEqual({
      user: "hazel",
      password: "Sheep & 12 huts",
    });
  });
});
