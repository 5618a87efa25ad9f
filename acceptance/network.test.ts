import { routes, type CredentialInput, type NetworkInput } from "@copper-kettle/contract";
import { startStandIn, stays, staysKey, type StandIn } from "@copper-kettle/standins";
import { createSecureServer, type Http2SecureServer } from "node:http2";
import type { AddressInfo } from "node:net";
import { writeFile } from "node:fs/promises";
import { join } from "node:path";
import type { TLSSocket } from "node:tls";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { Authority } from "./certificates.kit.js";
import { ForwardProxy } from "./forward-proxy.kit.js";
import { World } from "./kit.js";

type Scope = "service" | "api" | "host";

describe("the network of the service, of an API, of a host", () => {
  const authority = new Authority("Larkspur authority");
  const strangers = new Authority("Somebody else");
  const office = authority.make("office.larkspur.example");
  const own = authority.make("stays.larkspur.example");
  let world: World;
  let far: StandIn;
  let guarded: StandIn;
  let proxy: ForwardProxy;
  let host = "";
  beforeAll(async () => {
    const tls = { cert: own.certificate, key: own.privateKey };
    far = await startStandIn(stays(), 0, tls);
    guarded = await startStandIn(stays(), 0, { ...tls, ca: authority.pem });
    proxy = await ForwardProxy.start();
    host = new URL(far.url).host;
    world = await World.start({
      demo: false,
      env: { COPPER_KETTLE_ALLOW_ADDRESSES: [host, new URL(guarded.url).host].join(",") },
    });
    const constants = { stays: far.url, guarded: guarded.url };
    for (const [name, value] of Object.entries(constants))
      await world.client.call(routes.putConstant, { params: { name }, body: { value } });
    const document = `openapi: 3.1.0\ninfo: { title: S, version: "1" }\nservers: [{ url: "${far.url}" }]\npaths: {}\n`;
    await world.client.call(routes.putApi, { params: { name: "far" }, body: { text: document } });
    await credential("stays-key", { kind: "bearer", token: staysKey });
    await world.publish(
      "copper-kettle: 1\nname: look\ninputs: { type: object, properties: { at: { type: string } } }\nsteps:\n  - { step: guests, request: 'GET ${inputs.at}/guests?email=a', using: stays-key, retry: { times: 1 } }\n",
    );
  });
  afterAll(async () => {
    await world.close();
    await Promise.all([far.close(), guarded.close(), proxy.close()]);
  });
  afterEach(async () => {
    const { networks } = await world.client.call(routes.networks);
    for (const { scope, name } of networks)
      await world.client.call(routes.removeNetwork, { params: { scope, name } });
    proxy.asked.length = 0;
    proxy.refuse = proxy.wants = undefined;
    far.requests.length = guarded.requests.length = 0;
  });
  const credential = (name: string, body: CredentialInput) =>
    world.client.call(routes.putCredential, { params: { name }, body });
  const put = (scope: Scope, name: string, body: NetworkInput) =>
    world.client.call(routes.putNetwork, { params: { scope, name }, body });
  const look = async (at = far.url) => world.settled((await world.run("look", { at })).id);
  const check = (url = far.url) => world.client.call(routes.checkNetwork, { body: { url } });
  const trust = { authorities: authority.pem };

  it("trusts an authority of one's own, for a host, and says without it what to do", async () => {
    const refused = (await look()).error;
    expect(refused?.message).toContain("the server's certificate is from an unknown authority");
    expect(refused?.message).toContain("ckettle network set");
    await put("host", host, trust);
    expect((await look()).error).toBeNull();
    await put("host", host, { authorities: strangers.pem });
    expect((await look()).error?.message).toContain("unknown authority");
    // Settings hold over a restart, and for nobody else.
    await put("host", host, trust);
    await world.killAndServe();
    expect((await look()).error).toBeNull();
    expect((await look(guarded.url)).error?.message).toContain("unknown authority");
  });

  it("takes the settings of a host, then of its API, then of the service", async () => {
    await put("service", "all", { proxy: "http://127.0.0.1:1", ...trust });
    expect((await look()).error?.message).toContain("The proxy 127.0.0.1:1 cannot be reached");
    await put("api", "far", { proxy: proxy.url });
    expect((await look()).error).toBeNull();
    expect(proxy.asked).toHaveLength(1);
    await put("host", host, { proxy: null });
    expect((await look()).error).toBeNull();
    expect(proxy.asked).toHaveLength(1);
    expect((await look(guarded.url)).error?.message).toContain("The proxy 127.0.0.1:1");
  });

  it("goes through a proxy for the address that the guard has judged, with the name for TLS", async () => {
    const { port } = new URL(far.url);
    await world.end("SIGTERM");
    world.env["COPPER_KETTLE_ALLOW_ADDRESSES"] += `,localhost:${port}`;
    await world.serve();
    await put("service", "all", { proxy: proxy.url, ...trust });
    await credential("proxy-user", { kind: "basic", user: "kettle", password: "copper pot" });
    proxy.wants = Buffer.from("kettle:copper pot").toString("base64");
    const unknown = (await look(`https://localhost:${port}`)).error?.message;
    expect(unknown).toContain("wants a user and a password (407)");
    await put("service", "all", { proxy: proxy.url, proxyCredential: "proxy-user", ...trust });
    expect((await look(`https://localhost:${port}`)).error).toBeNull();
    await credential("proxy-user", {
      kind: "basic",
      user: "kettle",
      password: "copper pot",
      hosts: ["proxy.huts.example"],
    });
    const elsewhere = (await look(`https://localhost:${port}`)).error?.message;
    expect(elsewhere).toContain("is not bound to the proxy 127.0.0.1:");
    await credential("proxy-user", {
      kind: "basic",
      user: "kettle",
      password: "copper pot",
      hosts: [new URL(proxy.url).host],
    });
    expect((await look(`https://localhost:${port}`)).error).toBeNull();
    expect(proxy.asked.at(-1)?.target).toMatch(new RegExp(`^(127\\.0\\.0\\.1|\\[::1\\]):${port}$`));
    // Inner addresses stay closed, also where the proxy could reach them.
    const asked = proxy.asked.length;
    const inner = (await look("https://127.0.0.1:4")).error;
    expect(inner?.code).toBe("address-refused");
    expect((await look("https://localhost:5")).error?.code).toBe("address-refused");
    expect(proxy.asked).toHaveLength(asked);
    proxy.refuse = 403;
    await world.killAndServe();
    expect((await look()).error?.message).toContain(`opens no connection to 127.0.0.1:${port} (403)`);
    expect(world.log).not.toContain("copper pot");
    expect(world.log).not.toContain(proxy.wants);
  });

  it("repeats a writing call whose proxy refused: nothing of it was sent", async () => {
    await put("host", host, { proxy: proxy.url, ...trust });
    proxy.refuse = 503;
    await world.publish(
      "copper-kettle: 1\nname: write\nsteps:\n  - { step: make, request: 'POST ${constants.stays}/guests', using: stays-key, body: { json: { email: a@huts.example, name: Hazel } }, retry: { waits: [10ms] } }\n",
    );
    const run = await world.settled((await world.run("write")).id);
    expect(run.state).toBe("failed");
    expect(proxy.asked).toHaveLength(2);
    expect(far.requests).toEqual([]);
  });

  it("shows a client certificate beside the call's own credential, and only to the hosts of that", async () => {
    await credential("office", { kind: "mutual-tls", ...office, hosts: [new URL(guarded.url).host] });
    await put("service", "all", { ...trust, clientCertificate: "office" });
    expect((await look(guarded.url)).error).toBeNull();
    expect(guarded.requests[0]?.headers["authorization"]).toBe(`Bearer ${staysKey}`);
    await credential("office", { kind: "mutual-tls", ...office, hosts: ["stays.example"] });
    expect((await look(guarded.url)).error?.message).toMatch(/certificate|closed/);
    await world.client.call(routes.removeCredential, { params: { name: "office" } });
    expect((await look()).error?.message).toContain('the credential "office", which is not there');
  });

  it("speaks HTTP/2, TLS 1.3 and from an address where that is set", async () => {
    const met: { version: string; tls: string | null; from: string | undefined }[] = [];
    const server: Http2SecureServer = createSecureServer(
      { key: own.privateKey, cert: own.certificate, allowHTTP1: true },
      (request, response) => {
        const socket = (request.stream?.session?.socket ?? request.socket) as TLSSocket;
        met.push({ version: request.httpVersion, tls: socket.getProtocol(), from: socket.remoteAddress });
        response.setHeader("content-type", "application/json");
        response.end(JSON.stringify({ items: [] }));
      },
    );
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    const { port } = server.address() as AddressInfo;
    const url = `https://127.0.0.1:${port}`;
    await world.end("SIGTERM");
    world.env["COPPER_KETTLE_ALLOW_ADDRESSES"] += `,127.0.0.1:${port}`;
    await world.serve();
    await put("host", `127.0.0.1:${port}`, trust);
    expect((await look(url)).error).toBeNull();
    await put("host", `127.0.0.1:${port}`, {
      ...trust,
      http2: true,
      tls: "1.3",
      keepAlive: "30s",
      localAddress: "127.0.0.9",
    });
    for (let times = 0; times < 2; times++) expect((await look(url)).error).toBeNull();
    const newer = { version: "2.0", tls: "TLSv1.3", from: "127.0.0.9" };
    expect(met).toEqual([{ version: "1.1", tls: "TLSv1.3", from: "127.0.0.1" }, newer, newer]);
    expect(await check(url)).toMatchObject({ application: "h2", protocol: "TLSv1.3", fault: null });
    server.close();
  });

  it("shows what is met at an address, also where calls cannot use it", async () => {
    expect(await check()).toMatchObject({
      addresses: [{ address: "127.0.0.1", allowed: true }],
      proxy: null,
      protocol: "TLSv1.3",
      application: "http/1.1",
      certificates: [
        {
          subject: "CN=stays.larkspur.example",
          issuer: "CN=Larkspur authority",
          names: ["IP Address:127.0.0.1", "DNS:localhost"],
          sha256: expect.stringMatching(/^([0-9A-F]{2}:){31}[0-9A-F]{2}$/) as string,
        },
      ],
      fault: expect.stringContaining("The certificate is not trusted") as string,
    });
    await put("host", host, { ...trust, proxy: proxy.url });
    expect(await check()).toMatchObject({ proxy: new URL(proxy.url).host, fault: null });
    expect(far.requests).toEqual([]);
    expect(await check("https://127.0.0.1:4")).toMatchObject({
      addresses: [{ address: "127.0.0.1", allowed: false }],
      fault: expect.stringContaining("which calls may not reach") as string,
    });
    expect((await check(`https://${new URL(world.url).host}`)).fault).toContain("which calls may not reach");
    expect((await check("https://nowhere.larkspur.invalid")).fault).toContain("is not known");
  });

  it("says that a server speaks no TLS, and not what OpenSSL says", async () => {
    const url = world.stays.url.replace("http:", "https:");
    await world.end("SIGTERM");
    world.env["COPPER_KETTLE_ALLOW_ADDRESSES"] += `,${new URL(url).host}`;
    await world.serve();
    expect((await look(url)).error?.message).toContain("the server speaks no TLS on this port");
    expect((await check(url)).fault).toContain("the server speaks no TLS on this port");
  });

  it.each<[string, Scope, string, object, string, string]>([
    ["a proxy that is none", "service", "all", { proxy: "proxy.example:3128" }, "proxy", "http://proxy"],
    [
      "a password in its address",
      "service",
      "all",
      { proxy: "http://a:b@p.example" },
      "proxy",
      "go into a credential",
    ],
    ["another name of the service", "service", "some", {}, "name", "are called all"],
    ["a host that is none", "host", "https://stays.example", {}, "name", "is no host"],
    [
      "authorities that are none",
      "host",
      "stays.example",
      { authorities: "PEM" },
      "authorities",
      "no certificate",
    ],
    [
      "an unknown credential",
      "host",
      "stays.example",
      { proxyCredential: "nobody" },
      "proxyCredential",
      "There is no",
    ],
    [
      "a credential of another kind",
      "host",
      "stays.example",
      { clientCertificate: "stays-key" },
      "clientCertificate",
      "of the kind bearer",
    ],
    ["too long a keep-alive", "host", "stays.example", { keepAlive: "2h" }, "keepAlive", "up to 10m"],
    ["an address that is none", "host", "stays.example", { localAddress: "office" }, "localAddress", ""],
    ["a misspelt key", "host", "stays.example", { http3: true }, "http3", "not known here"],
  ])("refuses %s", async (_what, scope, name, body, field, message) => {
    const failure = (await put(scope, name, body).catch((error: unknown) => error)) as {
      problem?: { errors?: { field: string; message: string }[] };
    };
    expect(failure.problem?.errors).toEqual([
      expect.objectContaining({ field, message: expect.stringContaining(message) as string }),
    ]);
  });

  it("is the owner's alone to change", async () => {
    const { token } = await world.client.call(routes.createToken, { body: { name: "marit" } });
    const ask = async (method: string, path: string, body?: object) =>
      (
        await fetch(`${world.url}/api/network${path}`, {
          method,
          headers: { Authorization: `Bearer ${token}`, "Content-Type": "application/json" },
          ...(body ? { body: JSON.stringify(body) } : {}),
        })
      ).status;
    await put("host", host, trust);
    expect(await ask("GET", "")).toBe(200);
    expect(await ask("PUT", "/service/all", { proxy: "http://127.0.0.1:1" })).toBe(403);
    expect(await ask("DELETE", `/host/${encodeURIComponent(host)}`)).toBe(403);
    expect((await look()).error).toBeNull();
  });

  it("is set, shown, checked and removed by the command line", async () => {
    const pem = join(world.folder, "authority.pem");
    await writeFile(pem, authority.pem);
    const set = await world.ckettle([
      "network",
      "set",
      "--host",
      host,
      "--authority",
      pem,
      "--proxy",
      proxy.url,
    ]);
    expect(set.out).toContain(`${host}: proxy ${proxy.url}; trusts CN=Larkspur authority, until `);
    expect((await world.ckettle(["network", "list"])).out).toContain(host);
    const checked = await world.ckettle(["network", "check", far.url]);
    expect(checked).toMatchObject({ code: 0 });
    expect(checked.out).toContain("certificate  CN=stays.larkspur.example");
    expect(checked.out).toContain("Calls can use this connection.");
    await world.ckettle(["network", "remove", "--host", host]);
    expect((await world.ckettle(["network", "check", far.url])).code).toBe(1);
    expect((await world.ckettle(["api", "network", "far"])).out).toContain(
      "has no network settings of its own",
    );
    expect((await world.ckettle(["api", "network", "far", "--tls", "1.3"])).out).toContain(
      "API far: TLS 1.3 or newer",
    );
    await world.client.call(routes.removeApi, { params: { name: "far" } });
    expect((await world.client.call(routes.networks)).networks).toEqual([]);
    expect((await world.ckettle(["api", "network", "nowhere", "--tls", "1.3"])).err).toContain(
      'There is no API "nowhere"',
    );
    expect((await world.ckettle(["network", "set", "--host", "a.example", "--api", "far"])).err).toContain(
      "and not both",
    );
  });
});
