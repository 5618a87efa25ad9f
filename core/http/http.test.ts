import { describe, expect, it } from "vitest";
import { parseTemplate } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { utf8 } from "../values/encodings.js";
import { buildRequest } from "./build.js";
import { joinHeaders, type HttpResponse } from "./message.js";
import { mediaTypeOf, readBody } from "./read-body.js";
import { httpDate, retryAfter } from "./retry-after.js";
import { defaultRetry, nextWait, worthRepeating, type AttemptResult } from "./retry.js";
import { renderUrl } from "./url-template.js";

const surroundings = { now: () => 0, uuid: () => "u" };

describe("building a request", () => {
  it("puts parts where they belong, with the headers that go with them", () => {
    expect(
      buildRequest({
        method: "POST",
        url: "https://stays.example/guests?a=1#top",
        query: { q: "Café & Co", list: [1, 2], none: null },
        headers: { "X-Team": "hut", Accept: "text/csv" },
        cookies: { sid: "a b" },
        body: { json: { x: [null, { y: 1 }] } },
      }),
    ).toEqual({
      method: "POST",
      url: "https://stays.example/guests?a=1&q=Caf%C3%A9%20%26%20Co&list=1&list=2#top",
      headers: [
        ["X-Team", "hut"],
        ["Accept", "text/csv"],
        ["Cookie", "sid=a%20b"],
        ["Content-Type", "application/json"],
      ],
      body: '{"x":[null,{"y":1}]}',
    });
  });

  it.each([
    [{ url: "stays.example/guests" }, "must begin with https://"],
    [{ url: "ftp://stays.example" }, "ftp"],
    [{ url: "https://odd:pw@stays.example" }, "credential"],
    [{ url: "https://a.example", headers: { "X-A": "a\nb" } }, "line end"],
    [{ url: "https://a.example", headers: { "X-A": "hut 🛖" } }, "🛖"],
    [{ url: "https://a.example", headers: { "X A": "a" } }, '"X A"'],
    [{ url: "https://a.example", query: { a: { b: 1 } } }, "json.print"],
  ])("refuses %j", (parts, message) => {
    expect(() => buildRequest({ method: "GET", ...parts })).toThrow(message);
  });

  it("encodes each part of a URL for its place, and takes a base URL as it is", () => {
    const url = (text: string, scope: object) =>
      renderUrl(parseTemplate(text), scope as ValueMap, surroundings);
    expect(url("${base}/huts/${id}?q=${q}", { base: "http://127.0.0.1:4101/", id: "a/b c", q: "x&y" })).toBe(
      "http://127.0.0.1:4101/huts/a%2Fb%20c?q=x%26y",
    );
    expect(url("https://${host}.example/a", { host: "stays" })).toBe("https://stays.example/a");
    expect(url("https://a.example/x?q=${q}", { q: "" })).toBe("https://a.example/x?q=");
    expect(() => url("https://a.example/x/${id}", { id: "" })).toThrow("is blank");
    expect(() => url("https://a.example/x/${id}/y", { id: ".." })).toThrow("change the path");
  });
});

describe("reading a response", () => {
  const answer = (body: string | Uint8Array, type?: string): HttpResponse => ({
    status: 200,
    headers: type ? { "content-type": type } : {},
    body: typeof body === "string" ? utf8(body) : body,
    url: "https://a.example",
  });

  it.each<[string | Uint8Array, string | undefined, unknown]>([
    ['{"a":1}', "application/json", { a: 1 }],
    ['{"a":1}', "application/vnd.hut+json; charset=utf-8", { a: 1 }],
    ["plain", "text/plain", "plain"],
    ["<a/>", "application/xml", { a: "" }],
    ["", "application/json", null],
    ['{"a":1}', undefined, { a: 1 }],
    ["words", undefined, "words"],
    [new Uint8Array([0xff, 0xfe, 0x01]), undefined, undefined],
    [new Uint8Array([0x89, 0x50]), "image/png", undefined],
    [new Uint8Array([0x48, 0xfc, 0x74]), "text/plain; charset=iso-8859-1", "Hüt"],
  ])("%j as %s", (body, type, result) => {
    expect(readBody(answer(body, type)).body).toEqual(result);
  });

  it("says where JSON breaks off, and keeps the text", () => {
    expect(readBody(answer('{"a": [1, 2', "application/json"))).toMatchObject({
      body: '{"a": [1, 2',
      fault: expect.stringContaining("breaks off"),
    });
    expect(readBody(answer('{"a": 1,}', "application/json")).fault).toMatch(/broken at character \d+/);
  });

  it("joins header fields, but keeps cookies apart", () => {
    expect(
      joinHeaders([
        ["X-A", "1"],
        ["x-a", "2"],
        ["Set-Cookie", ["a=1", "b=2"]],
        ["X-None", undefined],
      ]),
    ).toEqual({ "x-a": "1, 2", "set-cookie": ["a=1", "b=2"] });
    expect(mediaTypeOf('Text/HTML; Charset="UTF-8"')).toEqual({ type: "text/html", charset: "utf-8" });
  });
});

describe("Retry-After", () => {
  const now = Date.UTC(2027, 2, 1, 5, 0, 0);
  it.each([
    ["7", 7_000],
    ["0", 0],
    ["Mon, 01 Mar 2027 05:00:09 GMT", 9_000],
    ["Monday, 01-Mar-27 05:00:09 GMT", 9_000],
    ["Mon Mar  1 05:00:09 2027", 9_000],
    ["Mon, 01 Mar 2027 04:00:00 GMT", 0],
    ["soon", undefined],
    ["", undefined],
    ["-5", undefined],
  ])("%s", (text, millis) => {
    expect(retryAfter({ "retry-after": text }, now)).toBe(millis);
  });

  it("a date is one of the API's clock, where that is another than ours", () => {
    const date = "Mon, 01 Mar 2027 06:00:00 GMT";
    const headers = { "retry-after": "Mon, 01 Mar 2027 06:00:09 GMT", date };
    expect(retryAfter(headers, now)).toBe(9_000);
    expect(retryAfter({ ...headers, date: "Mon, 01 Mar 2027 04:59:59 GMT" }, now)).toBe(3_609_000);
  });

  it("reads a two-digit year more than 50 years ahead as one of the past century (RFC 9110)", () => {
    expect(new Date(httpDate("Sunday, 06-Nov-94 08:49:37 GMT", now) as number).getUTCFullYear()).toBe(1994);
  });
});

describe("retrying", () => {
  const result = (status: number, more: Partial<AttemptResult> = {}): AttemptResult => ({
    status,
    headers: {},
    failure: null,
    sent: true,
    ...more,
  });

  it.each<[string, AttemptResult, boolean, boolean]>([
    ["429", result(429), true, true],
    ["500", result(500), true, false],
    ["503", result(503), true, false],
    ["503 with Retry-After", result(503, { headers: { "retry-after": "1" } }), true, true],
    ["404", result(404), false, false],
    ["501", result(501), false, false],
    ["refused", result(0, { failure: "connect", sent: false }), true, true],
    ["cut", result(0, { failure: "cut" }), true, false],
    ["a bad certificate", result(0, { failure: "tls", sent: false }), false, false],
  ])("%s: reading, writing", (_what, attempt, reading, writing) => {
    expect(worthRepeating(attempt, "reads", false)).toBe(reading);
    expect(worthRepeating(attempt, "repeatable", false)).toBe(reading);
    expect(worthRepeating(attempt, "writes", false)).toBe(writing);
    expect(worthRepeating(attempt, "writes", true)).toBe(reading);
  });

  it("grows waits up to the most, adds chance, climbs ladders, and gives up", () => {
    const plan = { ...defaultRetry, times: 3, wait: 1_000, factor: 3, most: 5_000, jitter: 0.5 };
    expect([0, 1, 2, 3].map((repeats) => nextWait(plan, repeats, result(500), 0, 0))).toEqual([
      { wait: 1_000, told: false },
      { wait: 3_000, told: false },
      { wait: 5_000, told: false },
      { giveUp: "spent" },
    ]);
    expect(nextWait(plan, 0, result(500), 0.999, 0)).toEqual({ wait: 1_500, told: false });
    expect(nextWait({ ...plan, waits: [7, 9], jitter: 0 }, 1, result(500), 0.5, 0)).toEqual({
      wait: 9,
      told: false,
    });
    expect(nextWait({ ...plan, waits: [7] }, 1, result(500), 0.5, 0)).toEqual({ giveUp: "spent" });
    expect(nextWait(plan, 0, result(429, { headers: { "retry-after": "6" } }), 0, 0)).toEqual({
      giveUp: "told-to-wait",
      asked: 6_000,
    });
  });
});
