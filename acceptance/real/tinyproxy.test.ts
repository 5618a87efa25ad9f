import { routes } from "@copper-kettle/contract";
import { startStandIn, stays, staysKey, type StandIn } from "@copper-kettle/standins";
import { readFile } from "node:fs/promises";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { Authority } from "../certificates.kit.js";
import { freePort } from "../kit.js";
import { program, RealServer, RealWorld } from "./servers.kit.js";

const tinyproxy = program("/usr/bin/tinyproxy", "/usr/sbin/tinyproxy");

describe.skipIf(!tinyproxy)("tinyproxy", () => {
  const authority = new Authority("Larkspur authority");
  let server: RealServer;
  let far: StandIn;
  let real: RealWorld;
  let [port, farPort] = [0, 0];
  beforeAll(async () => {
    port = await freePort();
    const { certificate, privateKey } = authority.make("localhost");
    far = await startStandIn(stays(), 0, { cert: certificate, key: privateKey });
    farPort = Number(new URL(far.url).port);
    server = await RealServer.make("tinyproxy");
    await server.write(
      "tinyproxy.conf",
      `Port ${port}
Listen 127.0.0.1
LogFile "${server.path("log")}"
LogLevel Connect
BasicAuth kettle copper-pot
ConnectPort ${farPort}
Allow 127.0.0.1
`,
    );
    await server.start(tinyproxy as string, ["-d", "-c", server.path("tinyproxy.conf")], [port]);
    real = await RealWorld.start([farPort]);
    await real.credential("stays-key", { kind: "bearer", token: staysKey });
    await real.credential("proxy-user", { kind: "basic", user: "kettle", password: "copper-pot" });
  });
  afterAll(async () => {
    await real.close();
    await server.close();
    await far.close();
  });
  const put = (more: object) =>
    real.world.client.call(routes.putNetwork, {
      params: { scope: "service", name: "all" },
      body: { proxy: `http://127.0.0.1:${port}`, authorities: authority.pem, ...more },
    });
  const look = (at = `https://localhost:${farPort}`) =>
    real.steps(
      "look",
      `- { step: get, request: "GET ${at}/guests?email=a", using: stays-key, retry: { times: 1 } }`,
    );

  it("opens the connection to the address, for the user that it knows", async () => {
    await put({});
    expect((await look()).error?.message).toContain("wants a user and a password (407)");
    await put({ proxyCredential: "proxy-user" });
    expect((await look()).error).toBeNull();
    expect(far.requests.at(-1)?.headers["authorization"]).toBe(`Bearer ${staysKey}`);
    const log = await readFile(server.path("log"), "utf8");
    expect(log).toContain(`CONNECT 127.0.0.1:${farPort} HTTP/1.1`);
    expect(log).not.toContain("localhost");
  });

  it("opens none to inner addresses, nor to ports that it keeps closed", async () => {
    await put({ proxyCredential: "proxy-user" });
    expect((await look("https://127.0.0.1:4")).error?.code).toBe("address-refused");
    const tried = await real.world.client.call(routes.checkNetwork, { body: { url: far.url } });
    expect(tried.fault).toBeNull();
    expect(tried.proxy).toBe(`127.0.0.1:${port}`);
  });
});
