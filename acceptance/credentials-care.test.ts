import { createClient, routes, type Client, type CredentialInput } from "@copper-kettle/contract";
import { startStandIn, stays, staysKey, type StandIn } from "@copper-kettle/standins";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { arrived, reset, World } from "./kit.js";

describe("the care of credentials", () => {
  let world: World;
  let far: StandIn;
  let ines: Client;
  let odd: Client;
  beforeAll(async () => {
    far = await startStandIn(stays());
    world = await World.start({ demo: false, env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
    const of = async (name: string): Promise<Client> => {
      const said = await world.ckettle(["token", "add", name]);
      return createClient({ baseUrl: world.url, token: said.out.trim() });
    };
    ines = await of("ines");
    odd = await of("odd");
  });
  afterAll(async () => {
    await world.close();
    await far.close();
  });
  const put = (name: string, body: CredentialInput, client = world.client) =>
    client.call(routes.putCredential, { params: { name }, body });
  const detail = (name: string) => world.client.call(routes.credential, { params: { name } });
  const file = (name: string, using: string) =>
    `copper-kettle: 1\nname: ${name}\nsteps:\n  - { step: a, request: "GET ${far.url}/guests", using: ${using} }\n`;
  const refused = async (what: Promise<unknown>): Promise<string> => {
    const error = (await what.catch((fault: unknown) => fault)) as {
      problem?: { status: number; detail: string };
    };
    expect(error.problem?.status).toBe(403);
    return error.problem?.detail ?? "";
  };

  it("keeps one incomplete, says what is still to come, and finishes it later", async () => {
    await put("two-keys", {
      kind: "api-key",
      parts: [
        { place: "header", name: "X-Store-Office", secret: "hut-office-01" },
        { place: "header", name: "X-Store-Key" },
      ],
    });
    expect(await detail("two-keys")).toMatchObject({ state: "incomplete", missing: ["parts.1.secret"] });
    await world.publish(file("too-early", "two-keys"));
    expect(await world.settled((await world.run("too-early")).id)).toMatchObject({
      state: "failed",
      error: {
        code: "credential",
        message: expect.stringContaining("is incomplete: the secret of header X-Store-Key is still missing"),
      },
    });
    await put("two-keys", {
      kind: "api-key",
      parts: [
        { place: "header", name: "X-Store-Office" },
        { place: "header", name: "X-Store-Key", secret: "st-77ab90c1f3e2" },
      ],
    });
    expect(await detail("two-keys")).toMatchObject({ state: "unchecked", missing: [] });
    await reset(far);
    await world.settled((await world.run("too-early")).id);
    expect((await arrived(far))[0]?.headers).toMatchObject({
      "x-store-office": "hut-office-01",
      "x-store-key": "st-77ab90c1f3e2",
    });
    const said = await world.ckettle([
      "credential",
      "add",
      "later",
      "--kind",
      "basic",
      "--user",
      "larkspur",
      "--without-secret",
    ]);
    expect(said).toMatchObject({ code: 0, out: "later: Missing: password.\n" });
  });

  it("replaces a secret with an overlap: the new one is tried first, the old one where that is not taken yet", async () => {
    await put("stays-key", { kind: "bearer", token: staysKey });
    await world.publish(file("guests", "stays-key"));
    const said = await world.ckettle(
      ["credential", "replace", "stays-key", "--overlap", "24h"],
      "sk-stays-not-yet-known\n",
    );
    expect(said.code).toBe(0);
    expect((await detail("stays-key")).replacedUntil).not.toBeNull();
    await reset(far);
    const run = await world.settled((await world.run("guests")).id);
    expect(run.state).toBe("succeeded");
    const sent = async () => (await arrived(far)).map(({ headers }) => headers["authorization"]);
    expect(await sent()).toEqual(["Bearer sk-stays-not-yet-known", `Bearer ${staysKey}`]);
    const attempts = (await world.entries(run.id)).filter(({ type }) => type === "attempt");
    expect(attempts).toMatchObject([{ renewed: true }, { response: { status: 200 } }]);
    // Without an overlap the old one is gone at once.
    await world.ckettle(["credential", "replace", "stays-key"], "sk-stays-not-yet-known\n");
    await reset(far);
    expect((await world.settled((await world.run("guests")).id)).state).toBe("failed");
    expect(await sent()).toEqual(["Bearer sk-stays-not-yet-known"]);
    expect(await detail("stays-key")).toMatchObject({ state: "failing", replacedUntil: null });
    await put("stays-key", { kind: "bearer", token: staysKey });
    await world.settled((await world.run("guests")).id);
    expect(await detail("stays-key")).toMatchObject({
      state: "ready",
      lastWorkedAt: expect.any(String),
      usedBy: ["guests"],
    });
    await expect(put("stays-key", { kind: "bearer", overlap: "soon" })).rejects.toMatchObject({
      problem: { status: 422, errors: [{ field: "overlap" }] },
    });
  });

  it.each<[string, CredentialInput, string, string]>([
    [
      "a prefix that is missing",
      { kind: "api-key", parts: [{ place: "header", name: "Authorization", secret: staysKey }] },
      "prefix-missing",
      'the header must begin with "Bearer "',
    ],
    [
      "a prefix that stands twice",
      { kind: "bearer", token: `Token ${staysKey}` },
      "prefix-doubled",
      "Save the secret without the prefix",
    ],
    [
      "a key of another environment",
      { kind: "bearer", token: "sk-test-0123456789" },
      "unknown-key",
      "another account or environment",
    ],
  ])("check now explains %s", async (_what, input, code, words) => {
    await put("prefixed", input);
    const result = await world.client.call(routes.checkCredential, {
      params: { name: "prefixed" },
      body: { url: `${far.url}/guests` },
    });
    expect(result).toMatchObject({ ok: false, status: 401, code, sentence: expect.stringContaining(words) });
  });

  it("lets those use it who may, and those change it who may; the owner may always", async () => {
    const hosts = [new URL(far.url).host];
    const mine: CredentialInput = {
      kind: "bearer",
      token: staysKey,
      hosts,
      mayUse: ["ines"],
      mayChange: ["ines"],
    };
    await expect(put("ines-key", { ...mine, hosts: [] }, ines)).rejects.toThrow("bound to hosts");
    await put("ines-key", mine, ines);
    expect(await refused(put("ines-key", { kind: "bearer", token: "sk-odd-0123" }, odd))).toContain(
      "may be changed by ines only",
    );
    expect(await refused(odd.call(routes.removeCredential, { params: { name: "ines-key" } }))).toContain(
      "ines",
    );
    const check = { params: { name: "ines-key" }, body: { url: `${far.url}/guests` } };
    expect(await refused(odd.call(routes.checkCredential, check))).toContain("may be used by ines only");
    expect((await ines.call(routes.checkCredential, check)).ok).toBe(true);
    const text = file("with-ines-key", "ines-key");
    await odd.call(routes.pushWorkflow, { params: { name: "with-ines-key" }, body: { text } });
    expect(await refused(odd.call(routes.publishWorkflow, { params: { name: "with-ines-key" } }))).toContain(
      "ines",
    );
    expect(
      await refused(odd.call(routes.startRun, { params: { name: "with-ines-key" }, body: { draft: true } })),
    ).toContain("ines");
    await ines.call(routes.publishWorkflow, { params: { name: "with-ines-key" } });
    // What somebody published who may, everybody may start.
    const { id } = await odd.call(routes.startRun, { params: { name: "with-ines-key" }, body: {} });
    expect((await world.settled(id)).state).toBe("succeeded");
    await put("ines-key", mine);
  });

  it("gives out access tokens by name, and takes them back", async () => {
    expect(await refused(odd.call(routes.createToken, { body: { name: "piet" } }))).toContain(
      "the owner's access token",
    );
    expect((await world.ckettle(["token", "list"])).out).toMatch(/owner[\s\S]*ines[\s\S]*odd/);
    expect((await world.ckettle(["token", "add", "odd"])).err).toContain(
      'There is already an access token "odd"',
    );
    expect((await world.ckettle(["token", "remove", "odd"])).code).toBe(0);
    await expect(odd.call(routes.status)).rejects.toMatchObject({ problem: { status: 401 } });
    expect((await world.ckettle(["token", "remove", "owner"])).err).toContain("cannot be removed");
  });

  it("writes each use and change down: by whom, for what, and never a secret", async () => {
    const said = await world.ckettle(["activity", "--credential", "ines-key", "--json"]);
    const deeds = (
      JSON.parse(said.out) as { by: string; action: string; detail: string | null; run: string | null }[]
    ).reverse();
    const host = new URL(far.url).host;
    expect(deeds.map(({ by, action, detail: more }) => [by, action, more])).toEqual([
      ["ines", "added", null],
      ["ines", "used", `for ${host}`],
      ["ines", "checked", "accepted"],
      ["workflow with-ines-key", "used", `for ${host}`],
      ["owner", "changed", null],
    ]);
    expect(deeds[3]?.run).toMatch(/^\w+/);
    const all = (await world.ckettle(["activity", "--limit", "500"])).out;
    expect(all).toContain("credential stays-key");
    for (const secret of [staysKey, "sk-stays-not-yet-known", "st-77ab90c1f3e2"])
      expect(all).not.toContain(secret);
  });

  it("shows one in full on one sheet, without its secrets", async () => {
    const { out } = await world.ckettle(["credential", "show", "ines-key"]);
    for (const words of [
      "○ not checked yet",
      "Authorization: Bearer •••",
      "127.0.0.1:",
      "with-ines-key",
      "ines",
    ])
      expect(out).toContain(words);
    expect(out).not.toContain(staysKey);
    await put("ending", {
      kind: "bearer",
      token: staysKey,
      endsOn: new Date(Date.now() + 86_000_000).toISOString().slice(0, 10),
    });
    expect((await world.ckettle(["credential", "list"])).out).toMatch(
      /ending\s+bearer\s+○ not checked yet, ends soon/,
    );
    expect((await world.ckettle(["credential", "redirect-uri"])).out).toBe(`${world.url}/oauth/callback\n`);
    expect((await world.ckettle(["credential", "request-sheet", "ending"])).err).toContain(
      "of the kind bearer",
    );
  });
});
