import { routes } from "@copper-kettle/contract";
import { boardsClient } from "@copper-kettle/standins";
import { readdir, readFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, afterEach, beforeAll, describe, expect, it } from "vitest";
import { arrived, faults, reset, settings, until } from "./kit.js";
import { OAuthWorld } from "./oauth.kit.js";

describe("tokens", () => {
  let it_: OAuthWorld;
  beforeAll(async () => {
    it_ = await OAuthWorld.start();
  });
  afterAll(() => it_.close());
  afterEach(async () => {
    await faults(it_.identity, []);
    await reset(it_.identity, it_.staff);
  });

  const run = async (workflow: string) => it_.world.settled((await it_.world.run(workflow)).id);
  const refreshes = async () =>
    (await it_.tokenRequests()).filter(({ grant_type: type }) => type === "refresh_token").length;

  it("1,000 runs that start in the same second with an expired token make one token request", async () => {
    await it_.put("crowd", it_.staffInput());
    await it_.caller("use-crowd", "crowd", `${it_.staff.url}/people`);
    await run("use-crowd");
    // Everything that was given out until now has run out.
    await settings(it_.identity, { acceptFrom: Date.now() + 1_000 });
    await until(() => new Date().getMilliseconds() < 50, "a new second has begun");
    await settings(it_.identity, { acceptFrom: Math.floor(Date.now() / 1_000) * 1_000 });
    const before = (await it_.tokenRequests()).length;
    const counts = async () => (await it_.world.client.call(routes.status)).runs;
    // In four parts: the service takes 1,000 connections at once, others ask it, too, and a busy machine is slow to take them.
    for (let part = 0; part < 4; part++)
      await Promise.all(Array.from({ length: 250 }, () => it_.world.run("use-crowd")));
    // Both in one look: a run that leaves the queue in between would be in neither.
    await until(async () => {
      const { running = 0, queued = 0 } = await counts();
      return running + queued === 0;
    }, "all have ended");
    expect(await counts()).toEqual({ succeeded: 1_001 });
    expect((await it_.tokenRequests()).length - before).toBe(1);
  }, 90_000);

  it("a 401 gives one extra attempt with a new token, which does not count, also for a writing call", async () => {
    await it_.put("writer", it_.staffInput());
    await it_.world.publish(
      `copper-kettle: 1\nname: write\nsteps:\n  - { step: a, request: "POST ${it_.staff.url}/seasons", using: writer, body: { json: { hut: eyrie, name: Winter } }, retry: { times: 0 } }\n`,
    );
    await it_.check("writer");
    await faults(it_.staff, [
      { method: "POST", path: "/seasons", status: 401, times: 1, body: { error: "invalid_token" } },
    ]);
    const done = await run("write");
    expect(done).toMatchObject({ state: "succeeded", calls: 2 });
    const attempts = (await it_.world.entries(done.id)).filter(({ type }) => type === "attempt");
    expect(attempts).toMatchObject([{ renewed: true, wait: 0 }, { attempt: 2 }]);
    const posts = await arrived(it_.staff, "POST");
    expect(posts.map(({ status }) => status)).toEqual([401, 201]);
    expect(new Set(posts.map(({ headers }) => headers["authorization"])).size).toBe(2);
    // Where the new one is refused as well, the step fails: nobody asks again and again.
    await faults(it_.staff, [
      { path: "/seasons", status: 401, body: { error: "invalid_token", message: "No." } },
    ]);
    const before = (await it_.tokenRequests()).length;
    expect(await run("write")).toMatchObject({ state: "failed", error: { status: 401 } });
    expect(await run("write")).toMatchObject({ state: "failed", error: { status: 401 } });
    expect((await it_.tokenRequests()).length - before).toBeLessThanOrEqual(1);
    expect(await it_.detail("writer")).toMatchObject({ state: "failing" });
    await faults(it_.staff, []);
  });

  it("are refreshed ahead of their end; each refresh token is used once, and the rotated one is kept over a kill", async () => {
    await it_.registerRedirectUri();
    await settings(it_.identity, { tokenSeconds: 2 });
    await it_.put("boards-marit", it_.boardsInput());
    await it_.signIn("boards-marit");
    await it_.caller("read-board", "boards-marit", `${it_.boards.url}/boards/eyrie/posts`);
    const first = (await it_.detail("boards-marit")).token;
    await until(() => Date.now() > Date.parse(first?.expiresAt as string), "the token has run out");
    expect((await run("read-board")).state).toBe("succeeded");
    const used = (await it_.tokenRequests()).flatMap(({ refresh_token: token }) => token ?? []);
    expect(used.length).toBeGreaterThan(0);
    expect(new Set(used).size).toBe(used.length);
    await it_.world.killAndServe();
    await it_.registerRedirectUri();
    const kept = (await it_.detail("boards-marit")).token;
    await until(() => Date.now() > Date.parse(kept?.expiresAt as string), "the token has run out");
    expect((await run("read-board")).state).toBe("succeeded");
    expect((await it_.detail("boards-marit")).state).toBe("ready");
  });

  it("a revoked sign-in: the credential says so, runs wait, and go on by themselves after the sign-in", async () => {
    await it_.signIn("boards-marit");
    const fresh = (await it_.detail("boards-marit")).token;
    await it_.revoke();
    await settings(it_.identity, { acceptFrom: Date.now() + 1_000 });
    expect(fresh).not.toBeNull();
    const held = [await it_.world.run("read-board"), await it_.world.run("read-board")];
    for (const { id } of held) {
      const waiting = await it_.world.settled(id, ["waiting"]);
      expect(waiting).toMatchObject({
        waits: [{ kind: "credential", name: "boards-marit" }],
        wakeAt: null,
        message: expect.stringContaining("ckettle credential sign-in boards-marit"),
      });
    }
    expect((await it_.detail("boards-marit")).state).toBe("sign-in-again");
    const home = await it_.world.client.call(routes.home);
    expect(home.credentials).toContainEqual(
      expect.objectContaining({ name: "boards-marit", state: "sign-in-again", waiting: 2 }),
    );
    // A restart changes nothing about that.
    await it_.world.killAndServe();
    await it_.registerRedirectUri();
    await it_.world.settled(held[0]?.id as string, ["waiting"]);
    await settings(it_.identity, { acceptFrom: 0 });
    await it_.signIn("boards-marit");
    for (const { id } of held)
      expect(await it_.world.settled(id)).toMatchObject({ state: "succeeded", message: null });
    expect((await it_.world.client.call(routes.home)).credentials.map(({ name }) => name)).not.toContain(
      "boards-marit",
    );
  });

  it("losing the race with another holder of the refresh token is a sign-in lost, not a failed run", async () => {
    await settings(it_.identity, { tokenSeconds: 2 });
    await it_.signIn("boards-marit");
    // The service's own refresh token, spent by somebody else: as the log of the stand-in knows it.
    await until(async () => (await run("read-board"), (await refreshes()) > 0), "a token was refreshed");
    const used = (await it_.tokenRequests())
      .flatMap(({ refresh_token: token }) => token ?? [])
      .at(-1) as string;
    await fetch(`${it_.identity.url}/token`, {
      method: "POST",
      headers: {
        "Content-Type": "application/x-www-form-urlencoded",
        Authorization: `Basic ${btoa(`${boardsClient.id}:${boardsClient.secret}`)}`,
      },
      body: new URLSearchParams({ grant_type: "refresh_token", refresh_token: used }).toString(),
    });
    const { token } = await it_.detail("boards-marit");
    await until(() => Date.now() > Date.parse(token?.expiresAt as string), "the token has run out");
    const { id } = await it_.world.run("read-board");
    expect((await it_.world.settled(id, ["waiting"])).waits).toMatchObject([{ name: "boards-marit" }]);
    await it_.signIn("boards-marit");
    expect((await it_.world.settled(id)).state).toBe("succeeded");
  });

  it("a kill between a token response and its storing costs a sign-in, and nothing else", async () => {
    await settings(it_.identity, { tokenSeconds: 2 });
    await it_.signIn("boards-marit");
    const { token } = await it_.detail("boards-marit");
    await until(() => Date.now() > Date.parse(token?.expiresAt as string), "the token has run out");
    // The server has rotated the refresh token, and its response never comes whole.
    await faults(it_.identity, [{ path: "/token", drop: "after" }]);
    const before = await refreshes();
    const { id } = await it_.world.run("read-board");
    await until(async () => (await refreshes()) > before, "the refresh has arrived");
    await it_.world.end("SIGKILL");
    await faults(it_.identity, []);
    await it_.world.serve();
    await it_.registerRedirectUri();
    const rested = await it_.world.settled(id, ["waiting", "succeeded"]);
    if (rested.state === "waiting") await it_.signIn("boards-marit");
    expect((await it_.world.settled(id)).state).toBe("succeeded");
  });

  it("an endpoint that is down is tried again like any call that could not be sent", async () => {
    await it_.put("patient", it_.staffInput());
    await it_.world.publish(
      `copper-kettle: 1\nname: patient\nsteps:\n  - { step: a, request: "POST ${it_.staff.url}/seasons", using: patient, body: { json: { hut: eyrie, name: Winter } }, retry: { times: 3, wait: 50ms } }\n`,
    );
    await faults(it_.identity, [
      {
        path: "/token",
        status: 503,
        times: 2,
        body: "<h1>Busy</h1>",
        headers: { "Content-Type": "text/html" },
      },
    ]);
    const done = await run("patient");
    expect(done.state).toBe("succeeded");
    const failed = (await it_.world.entries(done.id)).find(({ failure }) => failure !== undefined);
    expect(failed).toMatchObject({
      failure: {
        kind: "token",
        sent: false,
        message: expect.stringContaining("answered 503 with an HTML page"),
      },
    });
  });

  it("a client that is refused fails the step, with the reason, and is not asked again for every run", async () => {
    await it_.put("refused", it_.staffInput({ clientSecret: "sc-wrong-wrong" }));
    await it_.caller("use-refused", "refused", `${it_.staff.url}/people`);
    const before = (await it_.tokenRequests()).length;
    for (let count = 0; count < 5; count++)
      expect(await run("use-refused")).toMatchObject({
        state: "failed",
        error: { code: "credential", message: expect.stringContaining("its secret is wrong") },
      });
    expect((await it_.tokenRequests()).length - before).toBe(1);
    expect((await it_.world.client.call(routes.home)).credentials).toContainEqual(
      expect.objectContaining({ name: "refused", state: "failing" }),
    );
    // A new secret heals it at once.
    await it_.put("refused", it_.staffInput());
    expect((await run("use-refused")).state).toBe("succeeded");
  });

  it("never show: neither an access token nor a refresh token is in any file, log or answer", async () => {
    await settings(it_.identity, { tokenSeconds: 2 });
    await it_.signIn("boards-marit");
    await until(async () => (await run("read-board"), (await refreshes()) > 1), "tokens were refreshed");
    const tokens = new Set<string>();
    for (const { headers } of [...(await arrived(it_.boards)), ...(await arrived(it_.staff))])
      tokens.add(String(headers["authorization"]).replace("Bearer ", ""));
    for (const { refresh_token: token } of await it_.tokenRequests()) if (token) tokens.add(token);
    expect(tokens.size).toBeGreaterThan(4);
    const shown = [it_.world.log];
    for (const file of await readdir(it_.world.folder, { recursive: true }))
      shown.push(
        (await readFile(join(it_.world.folder, file)).catch(() => Buffer.alloc(0))).toString("latin1"),
      );
    const { runs } = await it_.world.client.call(routes.listRuns, {
      query: { workflow: "read-board", limit: 50 },
    });
    for (const { id } of runs) shown.push(JSON.stringify([await it_.world.entries(id)]));
    shown.push(JSON.stringify([await it_.detail("boards-marit"), await it_.detail("crowd")]));
    for (const token of tokens) for (const text of shown) expect(text.includes(token)).toBe(false);
  });
});
