import { routes, type BodyInputOf } from "@copper-kettle/contract";
import {
  depot,
  depotPassword,
  depotUser,
  startStandIn,
  stores,
  storesOffice,
  storesKey,
  tanks,
  tanksSecret,
  tanksToken,
  trails,
  trailsKey,
  type StandIn,
} from "@copper-kettle/standins";
import { readdir, readFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { arrived, reset, tanksScheme as scheme, World } from "./kit.js";

type Input = BodyInputOf<typeof routes.putCredential>;

describe("credentials of every static kind", () => {
  let world: World;
  let far: Record<"depot" | "stores" | "tanks" | "trails", StandIn>;
  beforeAll(async () => {
    const [one, two, three, four] = await Promise.all(
      [depot(), stores(), tanks(), trails()].map((definition) => startStandIn(definition)),
    );
    far = { depot: one as StandIn, stores: two as StandIn, tanks: three as StandIn, trails: four as StandIn };
    const allow = Object.values(far)
      .map(({ url }) => new URL(url).host)
      .join(",");
    world = await World.start({ demo: false, env: { COPPER_KETTLE_ALLOW_ADDRESSES: allow } });
    for (const [name, { url }] of Object.entries(far))
      await world.client.call(routes.putConstant, { params: { name }, body: { value: url } });
  });
  afterAll(async () => {
    await world.close();
    await Promise.all(Object.values(far).map((one) => one.close()));
  });
  const put = (name: string, body: Input) =>
    world.client.call(routes.putCredential, { params: { name }, body });
  const check = (name: string, url: string) =>
    world.client.call(routes.checkCredential, { params: { name }, body: { url } });

  const good: [string, Input, keyof typeof far, string, unknown][] = [
    [
      "basic",
      { kind: "basic", user: depotUser, password: depotPassword },
      "depot",
      "/orders",
      expect.arrayContaining([expect.objectContaining({ number: "o-7", hut: "corrie" })]),
    ],
    [
      "digest",
      { kind: "digest", user: depotUser, password: depotPassword },
      "depot",
      "/stock",
      expect.objectContaining({ stock: expect.anything() as unknown }),
    ],
    [
      "pair",
      {
        kind: "api-key",
        parts: [
          { place: "header", name: "X-Store-Office", secret: storesOffice },
          { place: "header", name: "X-Store-Key", secret: ` "${storesKey}" ` },
        ],
      },
      "stores",
      "/items/T-101",
      { tag: "T-101", name: "Radio", hut: "eyrie", servicedOn: null },
    ],
    [
      "query",
      { kind: "api-key", parts: [{ place: "query", name: "api_key", secret: trailsKey }] },
      "trails",
      "/conditions?stretch=corrie-eyrie&day=2099-03-01",
      { stretch: "corrie-eyrie", day: "2099-03-01", open: false, snowDepth: 63, wind: 4 },
    ],
    [
      "signature",
      { kind: "signed", scheme, secrets: { token: tanksToken, key: tanksSecret } },
      "tanks",
      "/tanks/eyrie",
      { code: 1, message: "", body: { hut: "eyrie", latest: { level: 29, unit: "percent" } } },
    ],
  ];

  it.each(good)("%s: a workflow's call is taken", async (name, input, api, path, body) => {
    await put(name, input);
    await world.publish(
      `copper-kettle: 1\nname: use-${name}\nsteps:\n  - { step: a, request: "GET \${constants.${api}}${path}", using: ${name} }\n  - { step: reply, respond: { body: "\${steps.a.body}" } }\n`,
    );
    const run = await world.settled((await world.run(`use-${name}`)).id);
    expect(run.error).toBeNull();
    expect(run.response?.body).toEqual(body);
  });

  it("answers a Digest challenge in one step: two requests, one attempt", async () => {
    await reset(far.depot);
    await world.settled((await world.run("use-digest")).id);
    const requests = await arrived(far.depot);
    // The nonce of before is not known any more: it is challenged with another one.
    expect(requests.map((request) => request.status)).toEqual([401, 200]);
    expect(requests[1]?.headers["authorization"]).toContain("algorithm=SHA-256");
    expect(requests[1]?.headers["authorization"]).toContain("nc=00000001");
  });

  it("uses the nonce of a Digest challenge on, with its count: 1.1 requests a call", async () => {
    await world.publish(
      'copper-kettle: 1\nname: many-digests\nsteps:\n  - step: all\n    each: lists.range(100)\n    parallel: 5\n    steps:\n      - { step: a, request: "GET ${constants.depot}/stock", using: use-digest-on }\n',
    );
    await world.client.call(routes.putCredential, {
      params: { name: "use-digest-on" },
      body: { kind: "digest", user: depotUser, password: depotPassword },
    });
    await reset(far.depot);
    expect((await world.settled((await world.run("many-digests")).id)).error).toBeNull();
    const requests = await arrived(far.depot);
    expect(requests.filter(({ status }) => status === 200)).toHaveLength(100);
    expect(requests.length).toBeLessThanOrEqual(110);
    // With another password no call begins with a proof by the old one.
    await world.client.call(routes.putCredential, {
      params: { name: "use-digest-on" },
      body: { kind: "digest", user: depotUser, password: "wrong" },
    });
    await reset(far.depot);
    await world.settled((await world.run("many-digests")).id);
    expect((await arrived(far.depot))[0]?.headers["authorization"]).toBeUndefined();
  });

  it("signs each attempt anew: a new time, a new nonce", async () => {
    await reset(far.tanks);
    for (let count = 0; count < 3; count++) await world.settled((await world.run("use-signature")).id);
    const nonces = (await arrived(far.tanks)).map((request) => request.headers["x-nonce"]);
    expect(new Set(nonces).size).toBe(3);
  });

  it("signs the body of a writing call", async () => {
    await world.publish(
      'copper-kettle: 1\nname: put-threshold\nsteps:\n  - { step: a, request: "PUT ${constants.tanks}/tanks/eyrie/threshold", using: signature, body: { json: { percent: 30 } } }\n  - { step: reply, respond: { body: "${steps.a.body}" } }\n',
    );
    expect((await world.settled((await world.run("put-threshold")).id)).response?.body).toEqual({
      code: 1,
      message: "",
      body: { hut: "eyrie", percent: 30 },
    });
  });

  it.each<[string, Input, keyof typeof far, string, string, string]>([
    [
      "the right one",
      { kind: "basic", user: depotUser, password: depotPassword },
      "depot",
      "/orders",
      "accepted",
      "Accepted",
    ],
    [
      "a wrong password",
      { kind: "basic", user: depotUser, password: "sheep" },
      "depot",
      "/orders",
      "unknown-key",
      "user and password",
    ],
    [
      "a wrong Digest password",
      { kind: "digest", user: depotUser, password: "sheep" },
      "depot",
      "/stock",
      "unknown-key",
      "The user or the password is wrong.",
    ],
    [
      "another scheme",
      { kind: "bearer", token: "sk-12345678" },
      "depot",
      "/orders",
      "other-scheme",
      "expects basic",
    ],
    [
      "a key in the wrong place",
      { kind: "api-key", parts: [{ place: "header", name: "api_key", secret: trailsKey }] },
      "trails",
      "/conditions?stretch=a-b&day=2099-03-01",
      "wrong-place",
      "The query parameter api_key is missing.",
    ],
    [
      "half of a pair",
      { kind: "api-key", parts: [{ place: "header", name: "X-Store-Office", secret: storesOffice }] },
      "stores",
      "/items/T-100",
      "wrong-place",
      "The header X-Store-Key is missing.",
    ],
    [
      "a stale time",
      {
        kind: "signed",
        scheme: {
          ...scheme,
          base: scheme.base.replace("${time.seconds}", "1700000000"),
          headers: { ...scheme.headers, "X-Time": "1700000000" },
        },
        secrets: { token: tanksToken, key: tanksSecret },
      },
      "tanks",
      "/tanks",
      "unknown-key",
      "The timestamp is stale.",
    ],
    [
      "a wrong secret",
      { kind: "signed", scheme, secrets: { token: tanksToken, key: "ts-000000000000" } },
      "tanks",
      "/tanks",
      "unknown-key",
      "does not match",
    ],
    [
      "an address that does not exist",
      { kind: "basic", user: depotUser, password: depotPassword },
      "depot",
      "/nowhere",
      "not-found",
      "says nothing about the credential",
    ],
  ])("check now says in plain words what happened: %s", async (_what, input, api, path, code, words) => {
    await put("checked", input);
    const result = await check("checked", far[api].url + path);
    expect(result).toMatchObject({ ok: code === "accepted", code });
    expect(result.sentence).toContain(words);
    for (const secret of [depotPassword, trailsKey, storesOffice, tanksSecret, "sk-12345678"])
      expect(JSON.stringify(result)).not.toContain(secret);
  });

  it("check now says too when nothing answers, and when the credential is not for that host", async () => {
    await put("bound", { kind: "bearer", token: "sk-12345678", hosts: ["stays.example"] });
    expect(await check("bound", far.depot.url)).toMatchObject({ code: "not-for-this-host" });
    await put("free", { kind: "bearer", token: "sk-12345678" });
    expect(await check("free", "http://10.0.0.1/")).toMatchObject({ code: "address-refused" });
    expect(await check("free", "http://nowhere.invalid/")).toMatchObject({
      code: "no-response",
      sentence: expect.stringContaining("nowhere.invalid"),
    });
    expect(await check("free", "not a url")).toMatchObject({ code: "bad-request" });
    await expect(check("nobody", far.depot.url)).rejects.toThrow('no credential "nobody"');
  });

  it.each<[string, object, string]>([
    [
      "a scheme that cannot be read",
      { kind: "signed", secrets: { key: "k" }, scheme: { ...scheme, signature: "hmacSha256(secret.key" } },
      "scheme.signature",
    ],
    [
      "a scheme that names an unknown part",
      { kind: "signed", secrets: { kye: "k" }, scheme },
      "scheme.signature",
    ],
    [
      "a vector that does not come out",
      {
        kind: "signed",
        secrets: { token: "t", key: "k" },
        scheme: {
          ...scheme,
          vector: {
            method: "GET",
            url: "https://a.example/",
            now: 0,
            nonce: "n",
            secrets: { token: "t", key: "k" },
            signature: "x",
          },
        },
      },
      "scheme.vector",
    ],
    ["a user with a colon", { kind: "basic", user: "a:b", password: "x" }, "user"],
    ["an empty password", { kind: "digest", user: "a", password: "\n" }, "password"],
    [
      "a key of two pieces",
      { kind: "api-key", parts: [{ place: "header", name: "X-A", secret: "a\nb" }] },
      "parts.0.secret",
    ],
  ])("refuses %s, at its field", async (_what, body, field) => {
    const error = (await put("bad", body as Input).catch((fault: unknown) => fault)) as {
      problem: { status: number; errors: { field: string }[] };
    };
    expect(error.problem).toMatchObject({ status: 422, errors: [{ field }] });
  });

  it("never show: each secret is in no file, no log, no response, however it was sent", async () => {
    const secrets = [
      depotPassword,
      Buffer.from(`${depotUser}:${depotPassword}`).toString("base64"),
      storesKey,
      trailsKey,
      encodeURIComponent(trailsKey),
      tanksSecret,
    ];
    const shown: string[] = [world.log];
    for (const { id } of (await world.client.call(routes.listRuns, { query: { limit: 100 } })).runs)
      shown.push(
        JSON.stringify([await world.client.call(routes.run, { params: { id } }), await world.entries(id)]),
      );
    for (const file of await readdir(world.folder, { recursive: true }))
      shown.push((await readFile(join(world.folder, file)).catch(() => Buffer.alloc(0))).toString("latin1"));
    expect(shown.length).toBeGreaterThan(10);
    for (const secret of secrets) for (const text of shown) expect(text.includes(secret), secret).toBe(false);
  });

  it("open again after the sealing key was changed while the service ran, and after a restart", async () => {
    const before = await readFile(join(world.folder, "sealing.key"), "utf8");
    const said = await world.ckettle(["key", "rotate"]);
    expect(said).toMatchObject({ code: 0, out: expect.stringContaining("2 data keys") });
    expect(await readFile(join(world.folder, "sealing.key"), "utf8")).not.toBe(before);
    await put("after", { kind: "basic", user: depotUser, password: depotPassword });
    await world.killAndServe();
    for (const name of ["use-basic", "use-signature"])
      expect((await world.settled((await world.run(name)).id)).state).toBe("succeeded");
    expect(await check("after", `${far.depot.url}/orders`)).toMatchObject({ ok: true });
    const old = (await world.client.call(routes.listRuns, { query: { workflow: "use-query", limit: 1 } }))
      .runs[0];
    expect(
      (await world.client.call(routes.run, { params: { id: old?.id as string } })).response?.body,
    ).toMatchObject({ stretch: "corrie-eyrie" });
  });
});
