import { routes, type AnyRoute } from "@copper-kettle/contract";
import { connect } from "node:net";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Attacked, statusOf } from "./attacked.kit.js";
import { until } from "./kit.js";

/** Numbers that look like chance, and are the same at each run of the test. */
function chance(seed: number): (below: number) => number {
  let state = seed;
  return (below) => {
    state = (state * 1_103_515_245 + 12_345) % 2_147_483_648;
    return Math.floor((state / 2_147_483_648) * below);
  };
}

describe("somebody who means harm", () => {
  let it_: Attacked;
  beforeAll(async () => {
    it_ = await Attacked.start();
    await it_.world.publishExample("greet-guest");
  });
  afterAll(() => it_.close());

  it("with a token of no rights does nothing of what only the owner may", async () => {
    const owners = Object.entries(routes as Record<string, AnyRoute>).filter(
      ([, one]) => one.needs === "owner",
    );
    expect(owners.map(([name]) => name).sort()).toEqual([
      "backup",
      "createToken",
      "erase",
      "pause",
      "prune",
      "putAside",
      "putNetwork",
      "putNotifications",
      "putRetention",
      "removeNetwork",
      "rotateKey",
      "tryNotifications",
      "withdrawGrant",
    ]);
    for (const [name, { method, path }] of owners) {
      const headers = {
        Authorization: `Bearer ${it_.oddToken}`,
        "Content-Type": "application/json",
        // Node does not say of itself how long the body of a DELETE is.
        "Content-Length": "2",
      };
      expect([name, (await it_.raw(method, path, { headers, body: "{}" })).status]).toEqual([name, 403]);
    }
    expect(await statusOf(it_.odd.call(routes.removeToken, { params: { name: "owner" } }))).toBe(403);
    expect((await it_.raw("GET", "/copper-kettle.sqlite")).status).toBe(404);
  });

  it("does not end or stop the service with one request", async () => {
    const json = { "Content-Type": "application/json" };
    const deep = '{"a":'.repeat(50_000);
    const send = (method: string, path: string, body: string) =>
      it_.raw(method, path, { headers: json, body });
    const text = (inner: string): string => JSON.stringify({ text: inner });
    const bad: [string, string, string][] = [
      ["PUT", "/api/workflows/x", text(`{"a":${"[".repeat(50_000)}`)],
      ["PUT", "/api/workflows/x", text(`{"a":${"[".repeat(50_000)}${"]".repeat(50_000)}}`)],
      ["POST", "/api/check", text(`{"a":${"[".repeat(50_000)}${"]".repeat(50_000)}}`)],
      ["POST", "/api/check", text('"}: {\n'.repeat(300_000))],
      ["POST", "/api/check", text(Array.from({ length: 20_000 }, (_, at) => `k${at}: 1`).join("\n"))],
      ["PUT", "/api/constants/x", `{"value":${deep}`],
      ["PUT", "/api/constants/x", `{"value":${"[".repeat(100_000)}${"]".repeat(100_000)}}`],
      ["PUT", "/api/constants/x", `{"value":0.1${"0".repeat(100_000)}1}`],
      ["PUT", "/api/apis/x", text(`{"openapi":"3.1.0","paths":${"[".repeat(50_000)}${"]".repeat(50_000)}}`)],
      ["PUT", "/api/apis/x", text("openapi: 3.1.0\npaths: &a {b: *a}")],
      ["POST", "/api/pasted/read", text("curl ".repeat(50_000))],
    ];
    for (const [method, path, body] of bad) {
      const answer = await send(method, path, body);
      expect([path, body.slice(0, 60), answer.status >= 500]).toEqual([path, body.slice(0, 60), false]);
      expect(await it_.isUp()).toBe(true);
    }
  });

  it("does not stop it with an input that its pattern was made for", async () => {
    await it_.world.publish(
      `copper-kettle: 1\nname: patterned\ninputs: { type: object, properties: { id: { type: string, pattern: "^(a+)+$" } } }\nsteps:\n  - { step: a, note: x }\n`,
    );
    const body = { inputs: { id: `${"a".repeat(50_000)}!` } };
    expect(await statusOf(it_.odd.call(routes.startRun, { params: { name: "patterned" }, body }))).toBe(422);
    expect(await it_.isUp()).toBe(true);
  });

  it("has nothing read of a body before it is known who sends it", async () => {
    const { hostname, port } = new URL(it_.world.url);
    const socket = connect(Number(port), hostname);
    let text = "";
    socket.setEncoding("utf8").on("data", (piece: string) => (text += piece));
    // The body is promised and never sent: who reads it first would wait for it.
    socket.write(
      `PUT /api/apis/x HTTP/1.1\r\nHost: ${hostname}:${port}\r\nContent-Type: application/json\r\nContent-Length: 40000000\r\n\r\n{`,
    );
    await until(() => text.includes("HTTP/1.1 401"), "it is refused before its body has come", 5_000);
    socket.destroy();
  });

  it("has nothing read of a body that they may not send, that no route takes, or that is too long", async () => {
    const { hostname, port } = new URL(it_.world.url);
    for (const [route, status] of [
      ["POST /api/backup", 403],
      ["POST /api/nowhere", 404],
      ["DELETE /api/constants/none", 404],
      ["POST /api/check", 413],
      ["PUT /api/apis/x", 413],
    ]) {
      const socket = connect(Number(port), hostname);
      let text = "";
      socket.setEncoding("utf8").on("data", (piece: string) => (text += piece));
      socket.write(
        `${route} HTTP/1.1\r\nHost: ${hostname}:${port}\r\nAuthorization: Bearer ${it_.oddToken}\r\nContent-Type: application/json\r\nContent-Length: 46000000\r\n\r\n{`,
      );
      await until(() => text.includes(`HTTP/1.1 ${status}`), `${route} gets ${status}`, 5_000);
      socket.destroy();
    }
  });

  it("smuggles no second request in the body of one", async () => {
    const { hostname, port } = new URL(it_.world.url);
    for (const length of [
      "Transfer-Encoding: chunked\r\nContent-Length: 4",
      "Content-Length: 4\r\nContent-Length: 5",
    ]) {
      const socket = connect(Number(port), hostname);
      let text = "";
      socket.setEncoding("utf8").on("data", (piece: string) => (text += piece));
      socket.write(
        `POST /api/check HTTP/1.1\r\nHost: ${hostname}:${port}\r\n${length}\r\n\r\n0\r\n\r\nGET /healthz HTTP/1.1\r\nHost: x\r\n\r\n`,
      );
      await until(() => text.includes("HTTP/1.1 400"), "it is refused", 5_000);
      expect(text).not.toContain('"ok":true');
      socket.destroy();
    }
  });

  it("gets headers that keep its pages from others, at every path", async () => {
    for (const path of [
      "/",
      "/sign-in",
      "/workflows",
      "/assets/nothing.js",
      "/metrics",
      "/oauth/callback",
      "/healthz",
      "/readyz",
    ]) {
      const { headers } = await it_.raw("GET", path);
      expect([
        path,
        headers["x-content-type-options"],
        headers["referrer-policy"],
        headers["x-frame-options"],
      ]).toEqual([path, "nosniff", "no-referrer", "SAMEORIGIN"]);
    }
  });

  it("signs in from no other origin, however it is written", async () => {
    const { host } = new URL(it_.world.url);
    const from = async (Origin: string, more: Record<string, string> = {}): Promise<number> =>
      (
        await it_.raw("POST", "/api/session", {
          headers: { Origin, "Content-Type": "application/json", ...more },
          body: '{"code":"x"}',
        })
      ).status;
    for (const origin of [
      `https://${host}`,
      `http://evil@${host}`,
      `http://${host}/`,
      `http://${host}.evil.example`,
      "null",
      "http://evil.example",
      `HTTP://${host}`,
    ])
      expect([origin, await from(origin)]).toEqual([origin, 403]);
    expect(await from(it_.world.url)).toBe(401);
    // A further name of the service, with a port or without, and perhaps with a proxy in front that speaks TLS.
    for (const host of ["huts.example", "huts.example:8443"])
      for (const origin of [`http://${host}`, `https://${host}`])
        expect([origin, await from(origin, { Host: host })]).toEqual([origin, 401]);
    expect(await from("https://huts.example", { Host: "huts.example:8443" })).toBe(403);
    expect(await from("http://evil.example", { Host: "evil.example" })).toBe(421);
  });

  it("with wrong tokens is told to wait after a hundred of them; a good one is taken all the while", async () => {
    const wrong = (index: number) =>
      it_.raw("GET", "/api/status", { headers: { Authorization: `Bearer ck_${index}` } });
    const statuses = new Set<number>();
    for (let index = 0; index < 220; index++) statuses.add((await wrong(index)).status);
    expect([...statuses].sort()).toEqual([401, 429]);
    expect((await it_.raw("GET", "/api/status")).status).toBe(200);
  });

  it("with ten thousand requests that make no sense gets no fault of the service, and a response to each", async () => {
    const pick = chance(2_027);
    const of = <T>(list: readonly T[]): T => list[pick(list.length)] as T;
    const odd = [
      "",
      "%",
      "%00",
      "%zz",
      "%c3%28",
      "..",
      "%2e%2e",
      "%2F",
      "a".repeat(5_000),
      "__proto__",
      "constructor",
      "🥾",
      "x'; DROP TABLE runs; --",
      "-1",
      "1e999",
      "NaN",
      "null",
      "[]",
      "*",
      "a%0d%0ab",
    ];
    const names = ["greet-guest", "stays-key", "nothing", ...odd];
    const values: unknown[] = [
      null,
      true,
      -1,
      1e308,
      "",
      "x",
      "\u0000",
      "\ud800",
      [],
      [[]],
      {},
      { a: { b: [] } },
      "a".repeat(20_000),
      Array.from({ length: 500 }, () => ({})),
      { __proto__: null, constructor: 1 },
    ];
    const bodies = [
      "",
      "{",
      "[]",
      "null",
      "5",
      '"x"',
      '{"a":1,"a":2}',
      "\u0000",
      "{".repeat(3_000),
      `[${"1,".repeat(5_000)}1]`,
      '{"text":"x"}',
      '{"value":1}',
      '{"inputs":{"email":"o@h.example"}}',
    ];
    const types = [
      "application/json",
      "text/plain",
      "",
      "application/json; charset=nonsense",
      "application/xml",
      "multipart/form-data",
      "application/json; charset=utf-16",
    ];
    const all = Object.entries(routes as Record<string, AnyRoute>).filter(
      ([name]) => !["backup", "signInCredential"].includes(name),
    );
    const faults: string[] = [];
    const one = async (): Promise<void> => {
      const [name, route] = of(all);
      const path = route.path.replace(/\{\w+\}/g, () => encodeURI(of(names)).replaceAll("%25", "%"));
      const query =
        pick(2) === 0
          ? ""
          : `?${["limit", "after", "before", "text", "wait", "version", "with", "key", "state", of(odd)]
              .map((key) => `${key}=${pick(3) === 0 ? encodeURI(of(odd)).replaceAll("%25", "%") : pick(50)}`)
              .slice(pick(9))
              .join("&")}`;
      const fields = Object.fromEntries(
        [
          "text",
          "value",
          "url",
          "name",
          "kind",
          "inputs",
          "options",
          "decision",
          "attempt",
          "code",
          "base",
          "set",
          "given",
          "days",
          "paused",
          "server",
        ]
          .slice(pick(16))
          .map((key) => [key, of(values)]),
      );
      const body = pick(2) === 0 ? of(bodies) : JSON.stringify(fields);
      const method = pick(20) === 0 ? of(["PATCH", "OPTIONS", "HEAD", "TRACE", "PROPFIND"]) : route.method;
      const headers: Record<string, string> = { "Content-Type": of(types) };
      if (pick(10) === 0)
        headers["Content-Encoding"] = of(["gzip", "br", "deflate", "nonsense", "identity", "gzip, gzip"]);
      if (pick(10) === 0) headers["Idempotency-Key"] = of(["", "k", "k".repeat(300)]);
      if (pick(20) === 0) headers["Accept-Encoding"] = "nonsense";
      const target = path.replace(/[^\x21-\x7e]/g, "x") + query.replace(/[^\x21-\x7e]/g, "x");
      const answer = await it_.raw(method, target, {
        headers,
        ...(["GET", "HEAD"].includes(method) ? {} : { body }),
      });
      // 502 is what an API or a run brought on itself; nothing here reaches one.
      if (answer.status >= 500)
        faults.push(
          `${answer.status} ${name} ${method} ${target.slice(0, 120)} ${body.slice(0, 120)} ${answer.text.slice(0, 200)}`,
        );
    };
    for (let round = 0; round < 400; round++) await Promise.all(Array.from({ length: 25 }, one));
    expect(faults.slice(0, 20)).toEqual([]);
    expect(await it_.isUp()).toBe(true);
  }, 240_000);
});
