import { chmod } from "node:fs/promises";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { freePort } from "../kit.js";
import { program, RealServer, RealWorld } from "./servers.kit.js";

// Debian's own script wants to be another user; the program behind it does not.
const rabbit = program("/usr/lib/rabbitmq/bin/rabbitmq-server");

describe.skipIf(!rabbit)("RabbitMQ's management API", () => {
  let server: RealServer;
  let real: RealWorld;
  let url = "";
  /** Erlang's own daemon of names; one that RabbitMQ starts would stay behind. */
  let names: RealServer;
  beforeAll(async () => {
    const [port, amqp, distribution] = [await freePort(), await freePort(), await freePort()];
    const named = await freePort();
    names = await RealServer.make("epmd");
    await names.start("epmd", ["-port", String(named), "-address", "127.0.0.1"], [named]);
    url = `http://127.0.0.1:${port}/api`;
    server = await RealServer.make("rabbitmq", {
      plugins: "[rabbitmq_management].\n",
      "rabbit.conf": `listeners.tcp.1 = 127.0.0.1:${amqp}\nmanagement.tcp.ip = 127.0.0.1\nmanagement.tcp.port = ${port}\n`,
    });
    await chmod(server.folder, 0o755);
    const env = {
      HOME: server.folder,
      RABBITMQ_NODENAME: `kettle-${port}@localhost`,
      RABBITMQ_NODE_IP_ADDRESS: "127.0.0.1",
      RABBITMQ_DIST_PORT: String(distribution),
      RABBITMQ_CONFIG_FILE: server.path("rabbit.conf"),
      RABBITMQ_CONF_ENV_FILE: "/dev/null",
      RABBITMQ_ENABLED_PLUGINS_FILE: server.path("plugins"),
      RABBITMQ_MNESIA_BASE: server.path("data"),
      RABBITMQ_LOG_BASE: server.path("log"),
      ERL_EPMD_ADDRESS: "127.0.0.1",
      ERL_EPMD_PORT: String(named),
    };
    await server.start(rabbit as string, [], [port], { env, millis: 110_000 });
    real = await RealWorld.start([port]);
    await real.credential("guest", { kind: "basic", user: "guest", password: "guest" });
  });
  afterAll(async () => {
    await real.close();
    await server.close();
    await names.close();
  });

  it("makes a virtual host once, queues in a loop, and reads them in pages", async () => {
    const run = await real.steps(
      "queues",
      `- step: host
  ensure:
    find: { request: "GET ${url}/vhosts/huts", using: guest, success: "status == 200 || status == 404" }
    found: status == 200
    record: body
    create: { request: "PUT ${url}/vhosts/huts", using: guest, body: { json: {} } }
- step: all
  each: lists.range(25)
  as: n
  parallel: 5
  steps:
    - { step: made, request: "PUT ${url}/queues/huts/q%2F\${n}", using: guest, body: { json: { durable: true } } }
- step: list
  request: GET ${url}/queues/huts
  using: guest
  pages: { by: page, param: page, items: body.items, size: 10 }
  query: { page: "1", page_size: "10" }
- { step: reply, respond: { body: "\${size(steps.list.items)}" } }`,
    );
    expect(run.error).toBeNull();
    expect(run.response?.body).toBe(25);
  });

  it("publishes each of a hundred messages once, and reads them back", async () => {
    const run = await real.steps(
      "publish",
      `- step: sent
  each: lists.range(100)
  as: n
  parallel: 10
  steps:
    - step: p
      request: POST ${url}/exchanges/huts/amq.default/publish
      using: guest
      body: { json: { properties: { message_id: "\${string(n)}" }, routing_key: "q/0", payload: "\${string(n)}", payload_encoding: string } }
      success: status == 200 && body.routed
- step: got
  request: POST ${url}/queues/huts/q%2F0/get
  using: guest
  effect: reads
  body: { json: { count: 200, ackmode: ack_requeue_false, encoding: auto } }
- { step: reply, respond: { body: "\${steps.got.body.map(m, m.payload)}" } }`,
    );
    expect(run.error).toBeNull();
    const got = run.response?.body as string[];
    expect([...got].sort((a, b) => Number(a) - Number(b))).toEqual(
      Array.from({ length: 100 }, (_, n) => String(n)),
    );
  });

  it("takes a DELETE that is repeated, and says a wrong password in plain words", async () => {
    const remove = `- { step: gone, request: "DELETE ${url}/queues/huts/q%2F1", using: guest }`;
    expect((await real.steps("gone", remove)).error).toBeNull();
    expect((await real.steps("gone", remove)).error?.message).toContain("404");
    await real.credential("wrong", { kind: "basic", user: "guest", password: "wrong" });
    expect(await real.check("wrong", `${url}/overview`)).toMatchObject({
      ok: false,
      code: "unknown-key",
      // Its words differ with its version.
      sentence: expect.stringMatching(/It says: (not_authorized|Login failed)/) as string,
    });
  });
});
