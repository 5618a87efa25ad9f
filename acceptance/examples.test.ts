import { routes } from "@copper-kettle/contract";
import { readFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, beforeEach, describe, expect, it } from "vitest";
import { Examples } from "./examples.kit.js";
import { root, until } from "./kit.js";
import { signInAt } from "./oauth.kit.js";

/** The examples as the demo loads them, whole, against their stand-ins: through the CLI and the API, with a bad item each. */
describe("the examples", () => {
  let examples: Examples;
  beforeAll(async () => void (examples = await Examples.start()));
  beforeEach(() => examples.reset());
  afterAll(() => examples.close());

  it("pass-digest: all pages, each usage, one message a club; a pass without usage is left out and counted", async () => {
    const said = await examples.start("pass-digest");
    expect(said.code).toBe(0);
    expect(said.err).toContain("1 problem");
    const { messages, leftOut } = said.body as {
      messages: { club: string; text: string }[];
      leftOut: number;
    };
    expect(leftOut).toBe(1);
    expect(messages.map(({ club }) => club)).toEqual(["Ridge Walkers", "Lakeside Club", "Snow Hares"]);
    expect(messages[0]?.text).toMatch(/^Ridge Walkers: 27 passes, \d+ nights, \d+ visits$/);
    expect((await examples.arrived("passes", "GET")).length).toBe(5 + 84);
    expect((await examples.last("pass-digest")).problems).toBe(1);
  });

  it("pass-limits: sets only what changes; a locked pass is told, the rest is done; a second time nothing is left", async () => {
    const rehearsed = await examples.ckettle(["rehearse", "pass-limits"]);
    expect(await examples.arrived("passes", "PUT")).toHaveLength(0);
    const wanted = 19;
    expect(rehearsed.out).toMatch(/^19 calls would have been sent/);
    const said = await examples.start("pass-limits");
    const { lowered, refused } = said.body as { lowered: string[]; refused: object[] };
    const puts = await examples.arrived("passes", "PUT");
    expect(puts).toHaveLength(wanted);
    expect(puts.every(({ body }) => (body as { nights: number }).nights === 12)).toBe(true);
    expect(refused).toEqual([{ pass: "ps-4", why: "ps-4 is locked by its club." }]);
    expect(lowered).toHaveLength(wanted - 1);
    expect((await examples.start("pass-limits")).body as unknown).toMatchObject({
      lowered: [],
      refused: [{ pass: "ps-4" }],
    });
  });

  it("tank-watch: tells a hut once that its tank is low, and again after it was full; a silent sensor keeps none waiting", async () => {
    const huts = ["corrie", "dunmoor"];
    await examples.control("tanks", "PUT", "settings", { levels: { corrie: 80, dunmoor: 80 } });
    await examples.start("tank-watch");
    await examples.control("tanks", "PUT", "settings", { levels: { corrie: 10, dunmoor: null } });
    const said = await examples.start("tank-watch");
    expect(said.body as unknown).toEqual({ levels: [{ hut: "corrie", level: 10 }], silent: ["dunmoor"] });
    await examples.start("tank-watch");
    expect(await examples.posts()).toEqual(["The water tank is at 10 %."]);
    await examples.control("tanks", "PUT", "settings", { levels: { corrie: 60, dunmoor: 80 } });
    await examples.start("tank-watch");
    await examples.control("tanks", "PUT", "settings", { levels: { corrie: 5, dunmoor: 80 } });
    await examples.start("tank-watch");
    expect(await examples.posts()).toEqual(["The water tank is at 10 %.", "The water tank is at 5 %."]);
    expect(huts).toHaveLength(2);
  });

  it("month-close: starts once, looks until it is done, tells the board", async () => {
    const said = await examples.start("month-close", "month=2027-01");
    expect(said.body as unknown).toMatchObject({ close: "c-1" });
    expect(await examples.arrived("ledger", "POST")).toHaveLength(1);
    expect(await examples.arrived("ledger", "GET")).toHaveLength(3);
    expect(await examples.posts()).toEqual(["The books of 2027-01 are closed (c-1)."]);
  });

  it("month-close: a month that does not come to its end is given up clearly, and the board is told", async () => {
    await examples.control("ledger", "PUT", "settings", { looksUntilDone: 1_000 });
    const text = await readFile(join(root, "examples/month-close.copper-kettle.yaml"), "utf8");
    await examples.client.call(routes.pushWorkflow, {
      params: { name: "month-close" },
      body: { text: text.replace("every: 2s, within: 10m", "every: 200ms, within: 1s") },
    });
    await examples.client.call(routes.publishWorkflow, { params: { name: "month-close" } });
    const said = await examples.start("month-close", "month=2027-03");
    expect(said.code).toBe(1);
    expect(said.err).toContain("The close of 2027-03 is not done: not-done");
    expect((await examples.posts())[0]).toContain("Not done within 1 s");
    await examples.client.call(routes.rollBack, { params: { name: "month-close" }, body: { version: 1 } });
  });

  it("ask-the-warden: another program waits for its answer; earlier turns go along, thread by thread", async () => {
    const ask = async (
      thread: string,
      question: string,
    ): Promise<{ status: number; body: { answer: string; turn: number } }> => {
      const answer = await examples.client.send(routes.startRun, {
        params: { name: "ask-the-warden" },
        query: { wait: "20s" },
        body: { inputs: { thread, question } },
      });
      return { status: answer.status, body: JSON.parse(await answer.text()) as never };
    };
    expect(await ask("t-8", "Is there water?")).toMatchObject({
      status: 200,
      body: { turn: 1, answer: expect.stringContaining("the warden knows") as string },
    });
    const second = await ask("t-8", "And wood?");
    expect(second.body).toMatchObject({
      turn: 2,
      answer: expect.stringContaining('As said about "Is there water?"') as string,
    });
    expect((await ask("t-9", "And wood?")).body.turn).toBe(1);
    const sent = (await examples.arrived("notices", "POST")).at(1)?.body as { turns: object[] };
    expect(sent.turns).toHaveLength(1);
  });

  it("ask-the-warden: where no draft can be had the program is told so, and the turn is not kept", async () => {
    await examples.faults("notices", [{ status: 422, body: { error: "invalid" } }]);
    const answer = await examples.client.send(routes.startRun, {
      params: { name: "ask-the-warden" },
      query: { wait: "20s" },
      body: { inputs: { thread: "t-7", question: "Why?" } },
    });
    expect(answer.status).toBe(502);
    const { remembered: kept } = await examples.client.call(routes.remembered, {
      params: { name: "ask-the-warden" },
    });
    expect(kept.map(({ key }) => key)).not.toContain("thread t-7");
  });

  it("open-season: waits up a ladder for the lagging copy, and for Marit; a person who gets no shift fails it, and it goes on from there", async () => {
    await examples.control("staff", "PUT", "settings", { lagMillis: 1_000 });
    await examples.faults("staff", [
      {
        method: "POST",
        path: "/seasons/se-1/shifts",
        status: 422,
        body: { error: "invalid", message: "No such person." },
      },
    ]);
    const failed = await examples.start("open-season", "hut=corrie", "season=Winter 2027");
    expect(failed.code).toBe(1);
    expect(failed.err).toContain("No such person");
    await examples.faults("staff", []);
    const { id } = await examples.last("open-season");
    const again = await examples.ckettle(["run", "again", id, "--from", "shifts"]);
    const run = again.out.trim();
    await until(
      async () =>
        (await examples.client.call(routes.run, { params: { id: run } })).waits[0]?.name === "boards-marit",
      "it waits for Marit",
    );
    const { url } = await examples.client.call(routes.signInCredential, { params: { name: "boards-marit" } });
    await signInAt(url, "allow");
    await until(
      async () => (await examples.client.call(routes.run, { params: { id: run } })).state === "succeeded",
      "it has succeeded",
    );
    // One season, its rota tried until the copy knew it, a shift for each of its two people.
    const writes = await examples.arrived("staff", "POST");
    expect(writes.filter(({ path }) => path === "/seasons")).toHaveLength(1);
    expect(writes.filter(({ path, status }) => path.endsWith("/shifts") && status === 201)).toHaveLength(2);
    expect((await examples.arrived("staff", "PUT")).map(({ status }) => status).at(-1)).toBe(200);
  });
});
