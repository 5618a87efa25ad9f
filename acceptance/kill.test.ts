import { routes } from "@copper-kettle/contract";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { arrived, faults, reset, until, World } from "./kit.js";

const chain = `
copper-kettle: 1
name: chain
steps:
  - step: guests
    request: GET \${constants.stays}/guests
    using: stays-key
  - step: made
    request: POST \${constants.stays}/guests
    using: stays-key
    body: { json: { email: marit@alpha.example } }
  - step: post
    request: POST \${constants.boards}/boards/corrie/posts
    using: boards-bot
    body: { json: { content: [{ text: "Welcome \${default(steps.made.body.id, 'somebody')}" }] } }
  - { step: reply, respond: { body: { id: "\${default(steps.made.body.id, null)}", post: "\${steps.post.body.id}" } } }
`;

describe("after kill -9", () => {
  let world: World;
  beforeAll(async () => {
    world = await World.start();
    await world.publish(chain);
  });
  beforeEach(() => reset(world.stays, world.boards));
  afterAll(() => world.close());

  const posts = async () => ({
    guests: (await arrived(world.stays, "POST")).length,
    boards: (await arrived(world.boards, "POST")).length,
  });

  it("a run that was reading goes on by itself, and repeats nothing that was done", async () => {
    await faults(world.stays, [{ method: "GET", times: 1, latency: 20_000 }]);
    const { id } = await world.run("chain");
    await until(async () => (await arrived(world.stays, "GET")).length === 1, "the first call is under way");
    await world.killAndServe();
    expect((await world.settled(id)).state).toBe("succeeded");
    expect((await arrived(world.stays, "GET")).length).toBe(2);
    expect(await posts()).toEqual({ guests: 1, boards: 1 });
  });

  it("a writing call that was under way is not repeated in silence: the run is unsure", async () => {
    await faults(world.stays, [{ method: "POST", times: 1, latency: 20_000 }]);
    const { id } = await world.run("chain");
    await until(async () => (await posts()).guests === 1, "the writing call is under way");
    await world.killAndServe();
    const run = await world.settled(id);
    expect(run.state).toBe("unsure");
    expect(run.unsure).toEqual([
      { path: "made", attempt: 1, reason: expect.stringContaining("The service stopped") },
    ]);
    expect(await posts()).toEqual({ guests: 1, boards: 0 });
    // Another kill changes nothing: it still waits for a person.
    await world.killAndServe();
    expect((await world.settled(id)).state).toBe("unsure");
    expect(await posts()).toEqual({ guests: 1, boards: 0 });
  });

  it.each([
    ["happened", { guests: 1, boards: 1 }, "Welcome g-77", "succeeded"],
    ["again", { guests: 2, boards: 1 }, "Welcome g-3", "succeeded"],
    ["skip", { guests: 1, boards: 1 }, "Welcome somebody", "succeeded"],
    ["stop", { guests: 1, boards: 0 }, undefined, "stopped"],
  ])("a person decides, by the command line: %s", async (decision, calls, text, state) => {
    await faults(world.stays, [{ method: "POST", times: 1, latency: 20_000 }]);
    const { id } = await world.run("chain");
    await until(async () => (await posts()).guests === 1, "the writing call is under way");
    await world.killAndServe();
    await world.settled(id);
    const outcome = decision === "happened" ? ["--outcome", '{"status":201,"body":{"id":"g-77"}}'] : [];
    const said = await world.ckettle(["run", "decide", id, decision, ...outcome]);
    expect(said).toMatchObject({ code: 0, out: `${id}: decided ${decision}\n` });
    expect((await world.settled(id, ["succeeded", "stopped"])).state).toBe(state);
    expect(await posts()).toEqual(calls);
    const [post] = await arrived(world.boards, "POST");
    expect((post?.body as { content: { text: string }[] } | undefined)?.content[0]?.text).toBe(text);
  });

  it("a stop that was answered holds: nothing more is sent, the run and the one that it called are stopped", async () => {
    await world.publish(
      "copper-kettle: 1\nname: caller\nsteps:\n  - { step: called, workflow: { name: chain } }\n  - { step: more, request: 'POST ${constants.stays}/guests', using: stays-key }\n",
    );
    await faults(world.stays, [{ method: "GET", times: 2, latency: 20_000 }]);
    const { id } = await world.run("chain");
    const caller = await world.run("caller");
    await until(async () => (await arrived(world.stays, "GET")).length === 2, "both are under way");
    for (const one of [id, caller.id])
      // What it reads is cut off, so that it may have stopped before the answer was written.
      expect(["running", "stopped"]).toContain(
        (await world.client.call(routes.stopRun, { params: { id: one }, body: {} })).state,
      );
    await world.killAndServe();
    for (const one of [id, caller.id]) expect((await world.settled(one)).state).toBe("stopped");
    const { runs } = await world.client.call(routes.listRuns, { query: { workflow: "chain", limit: 2 } });
    for (const run of runs) expect((await world.settled(run.id)).state).toBe("stopped");
    expect((await world.entries(id)).map(({ type }) => type)).toContain("stopping");
    expect(await posts()).toEqual({ guests: 0, boards: 0 });
  });

  it("a run that is stopped while its writing call is under way is not asked about", async () => {
    await faults(world.stays, [{ method: "POST", times: 1, latency: 20_000 }]);
    const { id } = await world.run("chain");
    await until(async () => (await posts()).guests === 1, "the writing call is under way");
    await world.client.call(routes.stopRun, { params: { id }, body: {} });
    await world.killAndServe();
    expect((await world.settled(id)).state).toBe("stopped");
    expect(await posts()).toEqual({ guests: 1, boards: 0 });
  });

  it("a run that had ended is left as it is", async () => {
    const { id } = await world.run("chain");
    const before = await world.settled(id);
    await world.killAndServe();
    expect(await world.client.call(routes.run, { params: { id } })).toEqual(before);
    expect(await posts()).toEqual({ guests: 1, boards: 1 });
  });

  it("a back-off in the store goes on at its time, with its place on the ladder", async () => {
    await world.publish(`
copper-kettle: 1
name: ladder
steps:
  - step: lookup
    request: GET \${constants.stays}/guests/g-9
    using: stays-key
    retry: { waits: [100ms, 31s], when: status == 404 }
`);
    const { id } = await world.run("ladder");
    const asleep = await world.settled(id, ["waiting"]);
    expect(Date.parse(asleep.wakeAt as string) - Date.now()).toBeGreaterThan(25_000);
    await world.killAndServe();
    expect((await world.settled(id, ["waiting"])).wakeAt).toBe(asleep.wakeAt);
    expect((await arrived(world.stays)).length).toBe(2);
    const stopped = await world.client.call(routes.stopRun, { params: { id }, body: {} });
    expect(stopped.state).toBe("stopped");
  });

  it("a loop goes on where it was: killed again and again, it posts to each hut once", async () => {
    await world.publishExample("hut-round");
    const { id } = await world.run("hut-round", { message: "hello" });
    let kills = 0;
    for (const count of [1, 4, 7]) {
      await until(
        async () => (await arrived(world.boards)).filter((request) => request.status === 201).length >= count,
        `${count} posts were taken`,
      );
      await world.killAndServe();
      kills++;
      for (;;) {
        const run = await world.settled(id, ["unsure", "running", "succeeded"]);
        if (run.state !== "unsure") break;
        // The board knows each clientRef, so a person can look and say: send it again, it does no harm.
        for (const { path, attempt } of run.unsure) {
          await world.client.call(routes.decideRun, {
            params: { id },
            body: { decision: "again", path, attempt },
          });
          await world.settled(id, ["unsure", "running", "succeeded", "waiting", "queued"]);
          break;
        }
      }
    }
    await until(async () => {
      const run = await world.client.call(routes.run, { params: { id } });
      const [unsure] = run.unsure;
      if (run.state === "unsure" && unsure) {
        const { path, attempt } = unsure;
        await world.client.call(routes.decideRun, {
          params: { id },
          body: { decision: "again", path, attempt },
        });
      }
      return run.state === "succeeded";
    }, "the run has succeeded");
    expect(kills).toBe(3);
    const taken = (await arrived(world.boards)).filter((request) => request.status === 201);
    expect(new Set(taken.map((request) => request.path)).size).toBe(12);
    expect(taken).toHaveLength(12);
  });

  it("a second service on the same data folder is refused, and told who has it", async () => {
    const said = await world.ckettle(["serve", "--port", "0"]);
    expect(said.code).toBe(2);
    expect(said.err).toContain(`process ${world.pid}`);
    expect(said.err).toContain("--data");
  });

  it("SIGTERM lets what is being sent finish, and leaves the rest for the next start", async () => {
    await faults(world.stays, [{ method: "POST", times: 1, latency: 2_500 }]);
    const { id } = await world.run("chain");
    await until(async () => (await posts()).guests === 1, "the writing call is under way");
    expect(await world.end("SIGTERM")).toBe(0);
    expect(await posts()).toEqual({ guests: 1, boards: 0 });
    await world.serve();
    expect((await world.settled(id)).state).toBe("succeeded");
    expect(await posts()).toEqual({ guests: 1, boards: 1 });
  });
});
