import { routes } from "@copper-kettle/contract";
import { expect } from "vitest";
import { ForwardProxy } from "./forward-proxy.kit.js";
import { until, type World } from "./kit.js";

/**
 * Deliveries that start runs, that are refused, that are for a draft; what a poll reads, and what an event names. Returns the
 * unguessable parts of addresses.
 * @param secret makes a secret that is searched for later
 */
export async function deliveries(
  world: World,
  far: string,
  secret: (what: string) => string,
): Promise<string[]> {
  const bearer = secret("hook-bearer");
  await world.client.call(routes.putCredential, {
    params: { name: "hook" },
    body: { kind: "bearer", token: bearer },
  });
  const fetched = `fetch: { request: "POST ${far}/login", effect: reads }`;
  await world.publish(`copper-kettle: 1
name: told
triggers:
  proved: { webhook: { path: proved, verify: { bearer: hook }, response: from-run } }
  named: { webhook: { path: named, verify: { bearer: hook } }, ${fetched} }
  open: { webhook: { path: open, verify: none } }
  many: { webhook: { path: many, verify: { bearer: hook }, items: trigger.body.all, id-of: item.password } }
  odd: { webhook: { path: odd, verify: { bearer: hook }, items: trigger.body } }
  typed: { webhook: { path: typed, verify: { bearer: hook } }, only-if: trigger.body.password }
  gone: { poll: { request: "POST ${far}/login", effect: reads, every: 1h, items: body, id-of: item } }
  seen: { poll: { request: "POST ${far}/login", effect: reads, every: 1h, items: "[body]", first: all } }
steps:
  - { step: kept, set: { came: "\${trigger}" } }
  - { step: reply, respond: { body: { password: "\${trigger.body.password}" } }, only-if: has(trigger.body) && has(trigger.body.password) }
`);
  const { address } = await world.client.call(routes.replaceAddress, {
    params: { name: "told", trigger: "open" },
    body: {},
  });
  const draft = await world.client.call(routes.draftAddress, { params: { name: "told" } });
  const parts = [address, draft.address].map((one) => one.split("/").at(-1) as string);
  const send = (url: string, token: string, body: object | string) =>
    fetch(url.replace(/^https?:\/\/[^/]+/, world.url), {
      method: "POST",
      headers: {
        "Content-Type": typeof body === "string" ? "application/x-www-form-urlencoded" : "application/json",
        Authorization: `Bearer ${token}`,
        Cookie: `sid=${secret("hook-cookie")}`,
      },
      body: typeof body === "string" ? body : JSON.stringify(body),
    });
  const at = (path: string) => `${world.url}/webhooks/${path}`;
  const answers = [
    await send(at("proved"), bearer, { password: secret("hook-body"), n: 1 }),
    await send(at("proved"), bearer, `client_secret=${encodeURIComponent(secret("hook-form"))}&a=1`),
    await send(at("named"), bearer, { user: { access_token: secret("hook-named") } }),
    await send(at("proved"), secret("hook-wrong"), {
      password: secret("hook-refused"),
      more: "x".repeat(3_000),
    }),
    await send(address, "x", { pin: 1, client_secret: secret("hook-open") }),
    await send(at("many"), bearer, { all: [{ password: secret("item-1") }, { password: secret("item-2") }] }),
    await send(at("odd"), bearer, { password: secret("item-no-list") }),
    await send(at("typed"), bearer, { password: secret("condition") }),
    await send(draft.address, "x", { password: secret("hook-draft") }),
  ];
  expect(answers.map(({ status }) => status)).toEqual([200, 204, 202, 401, 202, 202, 422, 422, 401]);
  const events = async () =>
    (await world.client.call(routes.listEvents, { params: { name: "told" }, query: { limit: 50 } })).events;
  await until(async () => {
    const all = await events();
    return all.length >= 7 && all.every(({ state }) => state !== "arrived");
  }, "all events are there");
  const [sample] = await events();
  await world.client.call(routes.keepEvent, { params: { id: sample?.id ?? "" } });
  await world.client.call(routes.makeUpEvent, {
    params: { name: "told" },
    body: { trigger: "proved", brought: { body: { password: secret("made-up") } } },
  });
  for (const { run } of await events()) if (run) await world.settled(run);
  return parts;
}

/**
 * Calls through a proxy that wants a password: refused, and let through.
 * @param secret makes a secret that is searched for later
 */
export async function throughProxy(
  world: World,
  far: string,
  secret: (what: string) => string,
): Promise<void> {
  const proxy = await ForwardProxy.start();
  try {
    const { host } = new URL(far);
    const password = secret("proxy");
    await world.client.call(routes.putCredential, {
      params: { name: "proxy-user" },
      body: { kind: "basic", user: "desk", password, hosts: [new URL(proxy.url).host] },
    });
    await world.client.call(routes.putNetwork, {
      params: { scope: "host", name: host },
      body: { proxy: proxy.url, proxyCredential: "proxy-user" },
    });
    await world.publish(`copper-kettle: 1\nname: far\nsteps:\n  - { step: a, request: "GET ${far}/echo" }\n`);
    const known = Buffer.from(`desk:${password}`).toString("base64");
    for (const wants of ["another", known]) {
      proxy.wants = wants;
      const run = await world.settled((await world.run("far")).id);
      expect([wants, run.error === null]).toEqual([wants, wants === known]);
      await world.client.call(routes.checkNetwork, { body: { url: far } });
    }
    expect(proxy.asked.map(({ authorization }) => authorization)).toContain(`Basic ${known}`);
  } finally {
    await world.client.call(routes.removeNetwork, { params: { scope: "host", name: new URL(far).host } });
    await proxy.close();
  }
}

/** A run calls the operation that echoes its secrets, and its response becomes a sample. */
export async function sampleOfRun(world: World): Promise<void> {
  await world.publish("copper-kettle: 1\nname: sampled\nsteps:\n  - { step: a, operation: pasted.pasted }\n");
  const { id } = await world.settled((await world.run("sampled")).id);
  await world.client.call(routes.saveSample, {
    params: { name: "pasted", id: "pasted", sample: "kept" },
    body: { call: { run: id, path: "a" } },
  });
}
