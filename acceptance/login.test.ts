import { routes } from "@copper-kettle/contract";
import { depot, depotPassword, depotUser, startStandIn, type StandIn } from "@copper-kettle/standins";
import { readdir, readFile, writeFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { arrived, faults, reset, settings, until, World } from "./kit.js";

describe("a credential of the kind login", () => {
  let world: World;
  let far: StandIn;
  let host = "";
  beforeAll(async () => {
    far = await startStandIn(depot());
    host = new URL(far.url).host;
    world = await World.start({ demo: false, env: { COPPER_KETTLE_ALLOW_ADDRESSES: host } });
    await world.client.call(routes.putConstant, { params: { name: "depot" }, body: { value: far.url } });
    await world.publish(
      "copper-kettle: 1\nname: load\ninputs: { type: object, properties: { n: { type: integer, default: 1 } } }\nsteps:\n  - step: all\n    each: lists.range(inputs.n)\n    parallel: 20\n    steps:\n      - step: put\n        request: POST ${constants.depot}/pallets\n        using: yard\n        body: { json: { hut: corrie } }\n",
    );
  });
  afterAll(async () => {
    await world.close();
    await far.close();
  });
  beforeEach(() => reset(far));

  const scheme = () => ({
    request: `POST ${far.url}/session`,
    body: { json: { user: "${secret.user}", password: "${secret.password}" } },
    token: "body.session.key",
    attach: { header: "X-Session", value: "${token}" },
  });
  const put = (change: object = {}, secrets: object = {}, hosts = [host]) =>
    world.client.call(routes.putCredential, {
      params: { name: "yard" },
      body: {
        kind: "login",
        hosts,
        secrets: { user: depotUser, password: depotPassword, ...secrets },
        scheme: { ...scheme(), ...change },
      },
    });
  const load = async (n = 1) => world.settled((await world.run("load", { n })).id);
  const paths = async (path: string) => (await arrived(far)).filter((request) => request.path === path);
  const detail = () => world.client.call(routes.credential, { params: { name: "yard" } });

  it("logs in once, however many calls wait for it, and again once when the token is refused", async () => {
    await put();
    expect((await load(20)).error).toBeNull();
    expect(await paths("/session")).toHaveLength(1);
    await settings(far, { endAll: 1 });
    const run = await load(20);
    expect(run.error).toBeNull();
    expect(await paths("/session")).toHaveLength(2);
    const done = (await paths("/pallets")).filter(({ status }) => status === 201);
    expect(done).toHaveLength(40);
    const [entry] = (await world.entries(run.id)).filter(({ type }) => type === "attempt");
    expect(entry?.["authorization"]).toEqual([{ place: "header", name: "X-Session", value: "•••" }]);
  });

  it("holds over a kill, without another login", async () => {
    await put();
    await load();
    await world.killAndServe();
    await load();
    expect(await paths("/session")).toHaveLength(1);
  });

  it("takes the response that the credential says for a refusal", async () => {
    await put({ refused: "status == 409 && body.error == 'session-ended'" });
    await load();
    await settings(far, { endAll: 1, refuseAs: 409 });
    expect((await load()).error).toBeNull();
    expect(await paths("/session")).toHaveLength(2);
  });

  it("renews a token before its end by the request that renews", async () => {
    await settings(far, { life: 3 });
    await put({
      lives: "body.expiresIn",
      renew: { request: `POST ${far.url}/session/renew`, headers: { "X-Session": "${token}" } },
    });
    await until(async () => {
      expect((await load()).error).toBeNull();
      return (await paths("/session/renew")).some(({ status }) => status === 200);
    }, "the token is renewed");
    expect(await paths("/session")).toHaveLength(1);
    expect((await paths("/pallets")).every(({ status }) => status === 201)).toBe(true);
    expect((await detail()).token).toMatchObject({ refreshable: true });
  });

  it("takes the cookie that a login sets, and sends it back as it came", async () => {
    const { token: _none, attach: _neither, ...rest } = scheme();
    await world.client.call(routes.putCredential, {
      params: { name: "yard" },
      body: {
        kind: "login",
        hosts: [host],
        secrets: { user: depotUser, password: depotPassword },
        scheme: { ...rest, cookie: "sid" },
      },
    });
    expect((await load()).error).toBeNull();
    const [sent] = await paths("/pallets");
    expect(sent?.headers["cookie"]).toMatch(/^sid=\S+\+\/=$/);
  });

  it("does not lock the account: after a wrong password none is tried for a minute, also after a kill", async () => {
    await put({}, { password: "wrong horse" });
    const { error } = await load(3);
    expect(error?.message).toContain("The login was answered 401");
    expect(error?.message).toContain("It says: The password of ••• is wrong.");
    expect((await load()).error?.message).toContain("None is tried before");
    await world.killAndServe();
    expect((await load()).error?.message).toContain("so that the account is not locked");
    expect(await paths("/session")).toHaveLength(1);
    const { login, state } = await detail();
    expect(state).toBe("failing");
    expect(Date.parse(login?.pausedUntil ?? "") - Date.parse(login?.last?.at ?? "")).toBeGreaterThan(59_000);
    // A person's check tries at once, and the pause doubles.
    const check = () => world.client.call(routes.checkCredential, { params: { name: "yard" }, body: {} });
    expect(await check()).toMatchObject({ ok: false, code: "wrong-password" });
    const next = (await detail()).login;
    expect(Date.parse(next?.pausedUntil ?? "") - Date.parse(next?.last?.at ?? "")).toBeGreaterThan(119_000);
    // With the right one it goes on at once.
    await put();
    expect(await check()).toMatchObject({ ok: true, code: "accepted" });
    expect((await load()).error).toBeNull();
    expect((await detail()).login?.pausedUntil).toBeNull();
  });

  it("repeats the call where the login has no answer, or one that passes", async () => {
    await put({ lives: "1h" });
    await faults(far, [{ path: "/session", times: 1, drop: "before" }]);
    await world.publish(
      "copper-kettle: 1\nname: load-soon\nsteps:\n  - { step: put, request: 'POST ${constants.depot}/pallets', using: yard, body: { json: { hut: eyrie } }, retry: { waits: [10ms] } }\n",
    );
    expect((await world.settled((await world.run("load-soon")).id)).error).toBeNull();
    expect((await paths("/pallets")).filter(({ status }) => status === 201)).toHaveLength(1);
    await faults(far, [{ path: "/session", times: 1, status: 503 }]);
    await settings(far, { endAll: 1 });
    await world.publish(
      "copper-kettle: 1\nname: load-later\nsteps:\n  - { step: put, request: 'POST ${constants.depot}/pallets', using: yard, body: { json: { hut: eyrie } }, retry: { waits: [1h] } }\n",
    );
    const { id } = await world.run("load-later");
    await until(
      async () =>
        (await world.entries(id)).some(
          ({ failure, wait }) =>
            (failure as { kind?: string } | undefined)?.kind === "token" && Number(wait) > 0,
        ),
      "the call waits for its next attempt",
    );
    // Nothing is wrong with the credential.
    expect(await detail()).toMatchObject({ login: { pausedUntil: null }, sentence: null });
  });

  it("shows the last exchange without a value of it, and keeps no secret in clear", async () => {
    await put();
    await load();
    const [pallet] = await paths("/pallets");
    const token = String(pallet?.headers["x-session"]);
    const shown = await detail();
    expect(shown.login?.last).toMatchObject({
      request: {
        method: "POST",
        url: `${far.url}/session`,
        body: '{"user":"•••","password":"•••"}',
      },
      response: { status: 201, body: { session: { key: "•••" }, expiresIn: "•••" } },
      failure: null,
    });
    expect(shown.login?.last?.response?.headers["set-cookie"]).toBe("•••");
    const printed = await world.ckettle(["credential", "show", "yard"]);
    expect(printed.out).toContain("201");
    await world.end("SIGTERM");
    const everything = [printed.out, JSON.stringify(shown), world.log];
    for (const file of await readdir(world.folder, { recursive: true, withFileTypes: true }))
      if (file.isFile()) everything.push(await readFile(join(file.parentPath, file.name), "latin1"));
    for (const secret of [token, depotPassword, JSON.stringify(depotPassword).slice(1, -1)])
      expect(everything.filter((text) => text.includes(secret))).toEqual([]);
    await world.serve();
  });

  it.each<[string, object, object, string[], string, string]>([
    ["no hosts", {}, {}, [], "hosts", "needs hosts"],
    [
      "http beyond this machine",
      { request: "POST http://depot.example/session" },
      {},
      ["depot.example"],
      "scheme.request",
      "not https",
    ],
    [
      "a secret that is not there",
      { body: { text: "${secret.pin}" } },
      {},
      ["depot.example"],
      "scheme.body",
      "no secret",
    ],
    [
      "a renewal elsewhere",
      { renew: { request: "POST https://other.example/renew" } },
      {},
      ["depot.example"],
      "scheme.renew.request",
      "neither the login's host",
    ],
    ["a misspelt key", { atach: {} }, {}, ["depot.example"], "scheme.atach", "not known here"],
  ])("refuses %s", async (_what, change, secrets, hosts, field, message) => {
    const failure = (await put(change, secrets, hosts).catch((error: unknown) => error)) as {
      problem?: { errors?: { field: string; message: string }[] };
    };
    expect(failure.problem?.errors).toEqual([
      expect.objectContaining({ field, message: expect.stringContaining(message) as string }),
    ]);
  });

  it("is added, shown and checked by the command line", async () => {
    const file = join(world.folder, "yard.yaml");
    await writeFile(
      file,
      `kind: login\nrequest: POST ${far.url}/session\nbody: { json: { user: "\${secret.user}", password: "\${secret.password}" } }\ntoken: body.session.key\nattach: { header: X-Session }\nhosts: ["${host}"]\n`,
    );
    const args = [
      "credential",
      "add",
      "yard-cli",
      "--kind",
      "login",
      "--scheme",
      file,
      "--secret",
      "user",
      "--secret",
      "password",
    ];
    const added = await world.ckettle(args, `${depotUser}\n${depotPassword}\n`);
    expect(added.err + added.out).toContain("yard-cli: will send header X-Session: •••");
    const checked = await world.ckettle(["credential", "check", "yard-cli"]);
    expect(checked.out).toContain("The login gave a token, which is used until it is refused.");
    const called = await world.ckettle(["credential", "check", "yard-cli", "--call", `${far.url}/pallets`]);
    expect(called.out).toContain("Accepted");
    const wrong = await world.ckettle(
      args.map((arg) => (arg === "login" ? "signed" : arg)),
      "a\nb\n",
    );
    expect(wrong.err).toContain("is of the kind login, and not signed");
    expect((await world.ckettle(["credential", "forget-token", "yard-cli"])).code).toBe(0);
  });
});
