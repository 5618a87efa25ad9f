import { RequestRefused, TransportFailure, type HttpRequest } from "@copper-kettle/core";
import { createServer, type Server } from "node:http";
import { createServer as createTcpServer, type AddressInfo, type Server as TcpServer } from "node:net";
import { gzipSync } from "node:zlib";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { addressRule, checkLiteral } from "./guard.js";
import { HttpTransport } from "./transport.js";

describe("the address guard", () => {
  it.each([
    ["127.0.0.1", false],
    ["10.1.2.3", false],
    ["192.168.0.1", false],
    ["169.254.169.254", false],
    ["0.0.0.0", false],
    ["::1", false],
    ["fd00::1", false],
    ["::ffff:127.0.0.1", false],
    ["::127.0.0.1", false],
    ["::10.0.0.1", false],
    ["64:ff9b::7f00:1", false],
    ["2002:7f00:1::", false],
    ["100.64.0.1", false],
    ["8.8.8.8", true],
    ["2606:4700::1111", true],
  ])("without a list: %s is allowed: %s", (address, allowed) => {
    expect(addressRule([]).allows(address, 443, address)).toBe(allowed);
  });

  it("reads addresses, ports, ranges and names, and refuses what is none of these", () => {
    const rule = addressRule(["127.0.0.1:4101", "10.0.0.0/8", "inside.example", "[::1]:80"]);
    expect(rule.allows("127.0.0.1", 4101, "x")).toBe(true);
    expect(rule.allows("127.0.0.1", 4102, "x")).toBe(false);
    expect(rule.allows("10.200.0.1", 1, "x")).toBe(true);
    expect(rule.allows("192.168.0.1", 1, "Inside.example")).toBe(true);
    expect(rule.allows("::1", 80, "x")).toBe(true);
    expect(rule.allows("::ffff:10.0.0.1", 1, "x")).toBe(true);
    expect(() => addressRule(["not an address!:x"])).toThrow("not an address");
  });

  it("sees through every way of writing an address", () => {
    for (const url of [
      "http://2130706433/",
      "http://0x7f000001/",
      "http://127.1/",
      "http://[::ffff:127.0.0.1]/",
      "http://0177.0.0.1/",
    ]) {
      expect(() => checkLiteral(new URL(url).hostname, 80, addressRule([])), url).toThrow(RequestRefused);
    }
  });
});

describe("the transport", () => {
  let server: Server;
  let silent: TcpServer;
  let base: string;
  let silentBase: string;
  let endlessClosed = 0;
  const big = "x".repeat(100_000);
  beforeAll(async () => {
    server = createServer((request, response) => {
      const path = (request.url ?? "").split("?")[0];
      if (path === "/cut") return void request.socket.destroy();
      if (path === "/half") {
        response.writeHead(200, { "Content-Length": "100" });
        response.write("half");
        return void setTimeout(() => response.destroy(), 20);
      }
      if (path === "/slow") return;
      if (path === "/endless") {
        response.writeHead(200, { "X-Coding": String(request.headers["accept-encoding"]) }).write("line 1\n");
        const more = setInterval(() => response.write("line\n"), 5);
        return void response.on("close", () => {
          clearInterval(more);
          endlessClosed++;
        });
      }
      if (path === "/big") return void response.end(big);
      if (path === "/odd-coding")
        return void response.writeHead(200, { "Content-Encoding": "gzip" }).end("plain");
      if (path === "/bomb")
        return void response
          .writeHead(200, { "Content-Encoding": "gzip" })
          .end(gzipSync("0".repeat(5_000_000)));
      if (path === "/headers")
        return void response
          .writeHead(
            200,
            [
              ["Set-Cookie", "a=1"],
              ["Set-Cookie", "b=2"],
              ["X-A", "1"],
              ["X-A", "2"],
            ].flat(),
          )
          .end(JSON.stringify(request.headers));
      response.writeHead(302, { Location: "/headers" }).end();
    });
    silent = createTcpServer(() => undefined);
    await Promise.all([
      new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve)),
      new Promise<void>((resolve) => silent.listen(0, "127.0.0.1", resolve)),
    ]);
    base = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
    silentBase = `http://127.0.0.1:${(silent.address() as AddressInfo).port}`;
  });
  const transport = new HttpTransport({
    rule: addressRule(["127.0.0.0/8"]),
    longestResponse: 50_000,
    userAgent: "test/1",
  });
  afterAll(async () => {
    await transport.close();
    server.closeAllConnections();
    server.close();
    silent.close();
  });
  const stop = new AbortController();
  const send = (
    url: string,
    more: Partial<HttpRequest> = {},
    answer = 500,
    signal: AbortSignal = stop.signal,
  ) =>
    transport.send(
      { method: "GET", url, headers: [], ...more },
      { timeout: { connect: 300, response: answer }, signal },
    );
  const failure = async (sending: Promise<unknown>): Promise<TransportFailure> => {
    const error = await sending.then(
      () => undefined,
      (fault: unknown) => fault,
    );
    expect(error).toBeInstanceOf(TransportFailure);
    return error as TransportFailure;
  };

  it("reads no more of a response than is wanted, as it comes, and lets the connection go", async () => {
    let pieces = "";
    const response = await transport.send(
      { method: "GET", url: `${base}/endless`, headers: [] },
      {
        timeout: { connect: 300, response: 5_000 },
        signal: stop.signal,
        enough: (piece) => (pieces += Buffer.from(piece).toString()).split("\n").length > 3,
      },
    );
    expect(response).toMatchObject({ status: 200, partial: true, headers: { "x-coding": "identity" } });
    expect(Buffer.from(response.body).toString()).toBe(pieces);
    await expect.poll(() => endlessClosed).toBe(1);
  });

  it("says of a response that does not end what came of it", async () => {
    const cut = await failure(send(`${base}/endless`, {}, 100));
    expect(cut).toMatchObject({ kind: "timeout", sent: true });
    expect(cut.message).toMatch(
      /^200 came from .*, and \d+ bytes of its body, but the response did not end within 100 ms/,
    );
  });

  it("sends headers and reads the answer as it is, following nothing", async () => {
    const answer = await send(`${base}/headers`, { headers: [["X-Team", "hut"]] });
    expect(answer).toMatchObject({ status: 200, headers: { "set-cookie": ["a=1", "b=2"], "x-a": "1, 2" } });
    expect(JSON.parse(new TextDecoder().decode(answer.body))).toMatchObject({
      "x-team": "hut",
      "user-agent": "test/1",
    });
    expect((await send(`${base}/elsewhere`)).status).toBe(302);
  });

  it("tells what was not sent from what may have been", async () => {
    expect(await failure(send("http://127.0.0.1:9/"))).toMatchObject({ kind: "connect", sent: false });
    expect(await failure(send("http://nowhere.invalid/"))).toMatchObject({ kind: "dns", sent: false });
    expect(await failure(send(`${base.replace("http", "https")}/`))).toMatchObject({
      kind: "tls",
      sent: false,
    });
    expect(await failure(send(`${base}/cut`))).toMatchObject({ kind: "cut", sent: true });
    expect(await failure(send(`${base}/half`))).toMatchObject({ kind: "cut", sent: true });
    expect(await failure(send(`${base}/slow`, { method: "POST", body: "{}" }, 100))).toMatchObject({
      kind: "timeout",
      sent: true,
    });
    expect(await failure(send(silentBase, {}, 100))).toMatchObject({ kind: "timeout", sent: true });
  });

  it("is cut off by a stop, and says so", async () => {
    const now = new AbortController();
    const sending = failure(send(`${base}/slow`, {}, 5_000, now.signal));
    await new Promise((resolve) => server.once("request", resolve));
    now.abort();
    expect(await sending).toMatchObject({ aborted: true, sent: true });
  });

  it("gives a response whose body cannot be had, where it is asked to: what was answered is known", async () => {
    const asked = (path: string) =>
      transport.send(
        { method: "POST", url: base + path, headers: [], body: "{}" },
        { timeout: { connect: 300, response: 500 }, signal: stop.signal, broken: true },
      );
    for (const [path, code] of [
      ["/half", "cut"],
      ["/big", "response-too-large"],
      ["/bomb", "response-too-large"],
      ["/odd-coding", "coding"],
    ] as const)
      expect(await asked(path)).toMatchObject({ status: 200, broken: { code }, body: new Uint8Array() });
    // Without a status line nothing is known.
    expect(await failure(asked("/cut"))).toMatchObject({ kind: "cut", sent: true });
  });

  it("has one set of connections, however much time is left for each call", async () => {
    const many = new HttpTransport({
      rule: addressRule(["127.0.0.0/8"]),
      longestResponse: 1_000,
      userAgent: "t",
    });
    for (let connect = 1; connect <= 50; connect++)
      await many.send(
        { method: "GET", url: `${base}/elsewhere`, headers: [] },
        { timeout: { connect: 1_000 + connect, response: 500 }, signal: stop.signal },
      );
    expect(many.kinds).toBe(1);
    await many.close();
  });

  it("reads no response that is too large", async () => {
    await expect(send(`${base}/big`)).rejects.toThrow("larger than 50000 bytes");
  });

  it("refuses addresses that are not allowed, by literal and by name", async () => {
    const strict = new HttpTransport({ rule: addressRule([]), longestResponse: 1_000, userAgent: "test/1" });
    const options = { timeout: { connect: 300, response: 300 }, signal: stop.signal };
    for (const url of [
      base,
      base.replace("127.0.0.1", "localhost"),
      base.replace("127.0.0.1", "2130706433"),
    ]) {
      await expect(strict.send({ method: "GET", url, headers: [] }, options), url).rejects.toMatchObject({
        code: "address-refused",
        message: expect.stringContaining("--allow-address"),
      });
    }
    await strict.close();
  });
});
