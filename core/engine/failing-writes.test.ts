import { readdirSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { describe, expect, it } from "vitest";
import { DiskFull, World } from "./fakes.test.kit.js";

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
