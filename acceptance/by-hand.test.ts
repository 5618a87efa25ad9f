import { routes } from "@copper-kettle/contract";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { arrived, faults, reset, until, World } from "./kit.js";

const greet = `copper-kettle: 1
name: greet
inputs: { type: object, required: [email], properties: { email: { type: string } } }
steps:
  - { step: guest, request: "GET \${constants.stays}/guests", query: { email: "\${inputs.email}" }, using: stays-key }
  - { step: made, only-if: size(steps.guest.body.items) == 0, request: "POST \${constants.stays}/guests", using: stays-key, idempotency: auto, body: { json: { email: "\${inputs.email}" } } }
  - step: round
    each: "['corrie', 'eyrie', 'hollin']"
    as: hut
    if-one-fails: continue
    collect: steps.post.body.board
    steps:
      - { step: post, request: "POST \${constants.boards}/boards/\${hut}/posts", using: boards-bot, body: { json: { clientRef: "\${uuid()}", content: [{ text: "Hello \${inputs.email}" }] } } }
  - { step: reply, respond: { body: { id: "\${default(steps.made.body.id, null)}", huts: "\${steps.round.items}" } } }
`;

/** What people do with runs by hand: try, rehearse, repeat, look, compare. */
describe("runs by hand", () => {
  let world: World;
  beforeAll(async () => {
    world = await World.start();
    await world.publish(greet);
  });
  beforeEach(() => reset(world.stays, world.boards));
  afterAll(() => world.close());

  const sent = async () => ({
    guests: (await arrived(world.stays, "POST")).length,
    posts: (await arrived(world.boards, "POST")).length,
  });
  const json = (out: string): Record<string, never> => JSON.parse(out) as Record<string, never>;
  const started = async (args: string[]): Promise<string> => (await world.ckettle(args)).out.trim();

  it("a rehearsal sends reading calls, and lists what else would have been sent", async () => {
    const said = await world.ckettle(["rehearse", "greet", "-i", "email=piet@huts.example"]);
    expect(said.code).toBe(0);
    expect(said.out).toContain("4 calls would have been sent:");
    expect(said.out).toContain("made  POST http://127.0.0.1");
    expect(said.out).toContain('{"email":"piet@huts.example"}');
    expect(said.out).toContain("round[2]/post  POST");
    expect(await sent()).toEqual({ guests: 0, posts: 0 });
    expect(await arrived(world.stays, "GET")).toHaveLength(1);
    const { runs } = await world.client.call(routes.listRuns, { query: { limit: 1 } });
    expect(runs[0]).toMatchObject({ rehearsal: true, state: "succeeded" });
  });

  it("one step is tested alone, with the outcomes of an earlier run held for the others", async () => {
    const first = await world.settled((await world.run("greet", { email: "ines@huts.example" })).id);
    await reset(world.stays, world.boards);
    const said = await world.ckettle([
      "test",
      "greet",
      "--step",
      "post",
      "--item",
      "1",
      "--fixed-from",
      first.id,
      "-i",
      "email=odd@huts.example",
      "--json",
    ]);
    expect(said.code).toBe(0);
    expect(json(said.out)).toMatchObject({ status: 201, body: { board: "eyrie" } });
    expect(await sent()).toEqual({ guests: 0, posts: 1 });
    expect(await arrived(world.stays)).toHaveLength(0);
  });

  it("a run goes up to a step, with a fault put on another", async () => {
    const said = await world.ckettle([
      "test",
      "greet",
      "-i",
      "email=odd@huts.example",
      "--to",
      "guest",
      "--fault",
      "guest=503",
      "--json",
    ]);
    expect(json(said.out)).toMatchObject({ status: 200, attempts: 2 });
    expect(await arrived(world.stays)).toHaveLength(1);
    const { runs } = await world.client.call(routes.listRuns, { query: { limit: 1 } });
    expect(runs[0]?.message).toBe("Ended after step guest, as requested.");
  });

  it("stops before a step for a look; a value that was changed there is used", async () => {
    const said = await world.ckettle(["test", "greet", "-i", "email=piet@huts.example", "--break", "round"]);
    const id = said.out.trim();
    expect(said.err).toContain("before round");
    expect(await sent()).toEqual({ guests: 1, posts: 0 });
    await world.killAndServe();
    expect((await world.settled(id, ["waiting"])).waits).toMatchObject([
      { kind: "breakpoint", name: "round" },
    ]);
    const on = await world.ckettle(["run", "continue", id, "--set", "steps.made.body.id=g-99", "--wait"]);
    expect(json(on.out)).toEqual({ id: "g-99", huts: ["corrie", "eyrie", "hollin"] });
    const again = await world.ckettle(["run", "continue", id]);
    expect(again).toMatchObject({
      code: 2,
      err: expect.stringContaining("is not at a breakpoint") as string,
    });
  });

  it("from a step on: what was done before is kept and not done again, with the same keys", async () => {
    await faults(world.boards, [{ method: "POST", path: "/boards/eyrie", status: 403 }]);
    const first = await world.settled((await world.run("greet", { email: "piet@huts.example" })).id);
    expect(first).toMatchObject({ state: "succeeded", problems: 1 });
    await faults(world.boards, []);
    const said = await world.ckettle(["run", "again", first.id, "--from", "round", "--wait"]);
    expect(json(said.out)).toEqual({ id: "g-3", huts: ["corrie", "eyrie", "hollin"] });
    // The guest is not made again; the boards knew two of the three posts by their clientRef, and answered 200.
    expect((await sent()).guests).toBe(1);
    const posts = await arrived(world.boards, "POST");
    expect(posts.map(({ status }) => status)).toEqual([201, 403, 201, 200, 201, 200]);
  });

  it("failed items only: nothing else of the loop is done again", async () => {
    await faults(world.boards, [{ method: "POST", path: "/boards/eyrie", status: 403 }]);
    const first = await world.settled((await world.run("greet", { email: "odd@huts.example" })).id);
    await faults(world.boards, []);
    const said = await world.ckettle(["run", "again", first.id, "--failed-items", "round", "--wait"]);
    expect(json(said.out)).toEqual({ id: null, huts: ["corrie", "eyrie", "hollin"] });
    expect((await arrived(world.boards, "POST")).slice(3).map(({ path }) => path)).toEqual([
      "/boards/eyrie/posts",
    ]);
    const second = await world.settled(await started(["run", "again", first.id]));
    const none = await world.ckettle(["run", "again", second.id, "--failed-items", "round"]);
    expect(none).toMatchObject({
      code: 2,
      err: expect.stringContaining("No item of round failed") as string,
    });
  });

  it("again with other inputs, on the version then or now; a step that changed since is not kept", async () => {
    const first = await world.settled((await world.run("greet", { email: "odd@huts.example" })).id);
    await world.publish(greet.replace('"Hello ', '"Good day '));
    const then = await world.settled(
      await started(["run", "again", first.id, "-i", "email=sanna@huts.example"]),
    );
    const now = await world.settled(await started(["run", "again", first.id, "--latest"]));
    expect([then.version, now.version]).toEqual([1, 2]);
    expect(then.inputs).toEqual({ email: "sanna@huts.example" });
    const kept = await world.ckettle(["run", "again", first.id, "--latest", "--from", "round"]);
    expect(kept.code).toBe(0);
    const refused = await world.ckettle(["run", "again", first.id, "--latest", "--from", "reply"]);
    expect(refused).toMatchObject({
      code: 2,
      err: expect.stringContaining("Step post differs in that version") as string,
    });
    await world.client.call(routes.rollBack, { params: { name: "greet" }, body: { version: 1 } });
  });

  it("two runs are compared step by step", async () => {
    const first = await world.settled((await world.run("greet", { email: "odd@huts.example" })).id);
    const second = await world.settled((await world.run("greet", { email: "piet@huts.example" })).id);
    const said = await world.ckettle(["run", "compare", first.id, second.id]);
    expect(said.out).toContain("inputs.email");
    expect(said.out).toMatch(/made\s+skipped\s+succeeded/);
    expect(said.out).toMatch(/outcome\.body\.id\s+null\s+g-3/);
    const self = await world.ckettle(["run", "compare", first.id, first.id]);
    expect(self.out).toContain("No differences.");
  });

  it("versions are kept: listed, compared, rolled back to", async () => {
    const versions = await world.ckettle(["workflow", "versions", "greet"]);
    expect(versions.out).toMatch(/^ *3 .*current$/m);
    const diff = await world.ckettle(["workflow", "diff", "greet", "1", "2"]);
    expect(diff.out).toMatch(/^-.*Hello/m);
    expect(diff.out).toMatch(/^\+.*Good day/m);
    const back = await world.ckettle(["workflow", "roll-back", "greet", "2"]);
    expect(back.out).toContain("version 4, with the text of version 2");
    expect((await world.ckettle(["workflow", "diff", "greet", "2", "4"])).out.trim()).toBe(
      process.stdout.isTTY ? "" : "No differences.",
    );
    expect((await world.ckettle(["workflow", "roll-back", "greet", "9"])).code).toBe(2);
  });

  it("a pause of all lets no run begin, over a restart; then they go on", async () => {
    expect((await world.ckettle(["pause"])).out).toContain("All runs are paused");
    const { id } = await world.run("greet", { email: "odd@huts.example" });
    await world.killAndServe();
    expect((await world.client.call(routes.home)).paused).toBe(true);
    expect((await world.client.call(routes.run, { params: { id } })).state).toBe("queued");
    expect(await arrived(world.stays)).toHaveLength(0);
    await world.ckettle(["resume"]);
    await until(
      async () => (await world.client.call(routes.run, { params: { id } })).state === "succeeded",
      "the run has succeeded",
    );
  });

  it.each([
    [["test", "greet", "--fault", "post=often"], "A fault is step=status"],
    [["test", "greet", "-i", "email=x", "--step", "pots"], 'There is no step "pots"'],
    [["run", "again", "r-none", "--from", "x"], "There is no run"],
    [["test", "greet", "-i", "email=x", "--fixed-from", "r-none"], "There is no run r-none"],
  ])("what does not fit is said: %s", async (args, message) => {
    const said = await world.ckettle(args);
    expect(said.code).toBe(2);
    expect(said.err).toContain(message);
  });

  it("the examples of a file are run by name or all together, and checked by what they expect", async () => {
    await world.publish(`copper-kettle: 1
name: known
inputs: { type: object, required: [email], properties: { email: { type: string } } }
triggers:
  desk:
    by-hand:
      examples:
        - { name: known guest, inputs: { email: odd@huts.example }, expect: size(steps.guest.body.items) == 1 }
        - { name: unknown guest, inputs: { email: nobody@huts.example }, expect: size(steps.guest.body.items) == 1 }
        - { name: any, inputs: { email: odd@huts.example } }
steps:
  - { step: guest, request: "GET \${constants.stays}/guests", query: { email: "\${inputs.email}" }, using: stays-key }
  - { step: reply, respond: { body: "\${inputs.email}" } }
`);
    const all = await world.ckettle(["test", "known", "--examples"]);
    expect(all.code).toBe(1);
    expect(all.out).toMatch(/known guest +\S+ +as expected/);
    expect(all.out).toMatch(/unknown guest +\S+ +not so: size\(steps.guest.body.items\) == 1/);
    expect(all.out).toMatch(/any +\S+ +as expected/);
    const one = await world.ckettle(["test", "known", "--example", "known guest"]);
    expect([one.code, one.out.trim()]).toEqual([0, '"odd@huts.example"']);
    const changed = await world.ckettle([
      "rehearse",
      "known",
      "--example",
      "any",
      "-i",
      "email=x@huts.example",
    ]);
    expect(changed.code).toBe(0);
    const bad = await world.ckettle(["test", "known", "--example", "unknown guest"]);
    expect([bad.code, bad.err]).toEqual([1, expect.stringContaining("unknown guest: not so")]);
    const none = await world.ckettle(["start", "known", "--example", "noone"]);
    expect(none.err).toContain(
      'known has no example "noone". It has: "known guest", "unknown guest", "any".',
    );
  });
});
