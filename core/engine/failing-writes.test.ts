import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { DiskFull, Killed, World } from "./fakes.test.kit.js";

const folder = join(import.meta.dirname, "past-journals", "1");
const kinds = readdirSync(folder)
  .filter((name) => name.endsWith(".json"))
  .map((name) => [name.replace(".json", ""), read(name)] as const);

function read(name: string): string {
  return (JSON.parse(readFileSync(join(folder, name), "utf8")) as { file: string }).file;
}

const worldOf = (file: string): World => {
  const world = new World(file, () => ({ status: 201, body: { ok: true, items: [1, 2] } }));
  world.children = { other: { state: "succeeded", masked: [], secrets: [] } };
  return world;
};

/** Runs on through sleeps and failed writes; what is unsure happened. Returns how often a write failed. */
async function toEnd(world: World): Promise<{ state: string; failed: number; unsure: number }> {
  let [failed, unsure] = [0, 0];
  for (let tries = 0; tries < 50; tries++) {
    const end = await world.runToEnd().catch((error: unknown) => {
      if (!(error instanceof DiskFull)) throw error;
      failed++;
    });
    if (!end) continue;
    if (end.state !== "unsure") return { state: end.state, failed, unsure };
    for (const { entry } of world.rows.slice())
      if (entry.type === "unsure" && !decided(world, entry)) {
        unsure++;
        const outcome = { status: 201, headers: {}, body: { ok: true, items: [1, 2] } };
        const { path } = entry;
        world.add({
          type: "decided",
          at: world.time,
          path,
          decision: "happened",
          outcome,
          by: "token:marit",
        });
      }
  }
  throw new Error("It does not come to its end.");
}

const decided = (world: World, { path }: { path: string }): boolean =>
  world.entries().some((entry) => entry.type === "decided" && entry.path === path);

/** A conditional change whose first response is lost: the repeat is answered 412, and the URL is read. */
const conditional = `copper-kettle: 1
name: c
steps:
  - { step: put, request: PUT https://a.example/note, headers: { If-None-Match: "*" }, body: { json: { a: 1 } } }
  - { step: after, request: POST https://a.example/log }
`;
/** The API really keeps what was put: a second PUT finds it, and each POST is one line. */
function noteWorld(lines: string[]): (file: string) => World {
  const there = { was: false };
  return (file) =>
    new World(file, ({ method }) => {
      if (method === "GET") return there.was ? { status: 200, body: { a: 1 } } : { status: 404 };
      if (method === "POST") return (lines.push("line"), { status: 201 });
      if (there.was) return { status: 412 };
      there.was = true;
      return "cut";
    });
}

describe("a conditional change whose response is lost", () => {
  it("is settled once, whichever write of its journal fails and wherever its process is killed", async () => {
    const whole = noteWorld([])(conditional);
    expect(await toEnd(whole)).toMatchObject({ state: "succeeded", unsure: 0 });
    expect(whole.rows.some(({ entry }) => entry.type === "decided" && entry.by === "look")).toBe(true);
    for (let n = 0; n < whole.writes; n++) {
      const world = noteWorld([])(conditional);
      world.failsAt = n;
      expect([n, (await toEnd(world)).state]).toEqual([n, "succeeded"]);
      expect([n, world.count("POST")]).toEqual([n, 1]);
    }
    for (let n = 1; n < whole.rows.length; n++) {
      const lines: string[] = [];
      const worldOf = noteWorld(lines);
      const first = worldOf(conditional);
      first.diesAt = n;
      await expect(first.runToEnd()).rejects.toThrow(Killed);
      const second = worldOf(conditional);
      second.rows = first.rows;
      second.time = first.time;
      const { state, unsure } = await toEnd(second);
      // Only the call behind it may be one of which nobody knows.
      expect([n, state, lines.length + unsure >= 1, lines.length <= 1]).toEqual([n, "succeeded", true, true]);
    }
  });
});

describe("a store that fails the n-th write of a run", () => {
  it.each(kinds)(
    "whatever n is, sends no writing call twice, and the run ends as it would: %s",
    async (_kind, file) => {
      const whole = worldOf(file);
      const end = await toEnd(whole);
      const posts = (world: World): string[] =>
        world.sent.filter(({ method }) => method !== "GET").map(({ method, url }) => `${method} ${url}`);
      expect(whole.writes).toBeGreaterThan(1);
      let failures = 0;
      for (let n = 0; n < whole.writes; n++) {
        const world = worldOf(file);
        world.failsAt = n;
        const { state, failed } = await toEnd(world);
        expect([n, state]).toEqual([n, end.state]);
        expect([n, posts(world).sort()]).toEqual([n, posts(whole).sort()]);
        expect(failed).toBe(1);
        failures += failed;
      }
      expect(failures).toBe(whole.writes);
    },
  );

  it("lets nothing go out behind the failed write", async () => {
    for (const [, file] of kinds) {
      const { writes } = await (async () => {
        const whole = worldOf(file);
        await toEnd(whole);
        return whole;
      })();
      for (let n = 0; n < writes; n++) {
        const world = worldOf(file);
        world.failsAt = n;
        let sentAfter = 0;
        world.beforeSend = ({ method }) => {
          if (world.writes > n && method !== "GET") sentAfter++;
        };
        await world.runToEnd().catch(() => undefined);
        expect([n, sentAfter]).toEqual([n, 0]);
      }
    }
  });
});
