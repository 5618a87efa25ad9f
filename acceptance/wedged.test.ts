import { routes } from "@copper-kettle/contract";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { until, World } from "./kit.js";

describe("runs that something could wedge", () => {
  let world: World;
  let far: Server;
  let url: string;
  const bodies: Record<string, [string, string]> = {
    "/deep": ["application/json", "[".repeat(8_000) + "]".repeat(8_000)],
    "/digits": ["application/json", `{"n":0.1${"0".repeat(60_000)}1}`],
    "/rows": ["text/csv", `hut,beds\n${"corrie,12\n".repeat(400_000)}`],
    "/columns": ["text/csv", Array.from({ length: 100_000 }, (_, at) => `c${at}`).join()],
    "/attributes": ["text/xml", `<a ${Array.from({ length: 100_000 }, (_, at) => `a${at}="1"`).join(" ")}/>`],
  };
  let arrived = 0;
  beforeAll(async () => {
    far = createServer((request, response) => {
      arrived++;
      request.resume().on("end", () => {
        const [type = "", body = ""] = bodies[request.url ?? ""] ?? [];
        response.writeHead(200, { "Content-Type": type }).end(body);
      });
    });
    await new Promise<void>((resolve) => far.listen(0, "127.0.0.1", resolve));
    url = `http://127.0.0.1:${(far.address() as AddressInfo).port}`;
    world = await World.start({ env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
  });
  afterAll(async () => {
    far.closeAllConnections();
    far.close();
    await world.close();
  });

  it.each(["GET", "POST"])(
    "come to their end, whatever an API answers (%s), and hold nobody up meanwhile",
    async (method) => {
      for (const path of Object.keys(bodies)) {
        const name = `far-${path.slice(1)}`;
        await world.publish(
          `copper-kettle: 1\nname: ${name}\nsteps:\n  - { step: a, request: "${method} ${url}${path}" }\n  - { step: r, respond: { body: "\${size(steps.a.body)}" } }\n`,
        );
        const before = arrived;
        const { id } = await world.run(name);
        let slowest = 0;
        const watch = setInterval(async () => {
          const began = Date.now();
          await fetch(`${world.url}/healthz`).catch(() => undefined);
          slowest = Math.max(slowest, Date.now() - began);
        }, 50);
        const run = await world.settled(id, ["succeeded", "failed", "parked", "unsure"]);
        clearInterval(watch);
        expect([path, run.state, run.error?.code ?? null]).toEqual(
          path === "/rows" || path === "/digits"
            ? [path, "succeeded", null]
            : [path, "failed", "bad-response"],
        );
        expect(arrived - before).toBe(1);
        expect(slowest).toBeLessThan(10_000);
      }
    },
    120_000,
  );

  it("are skipped where one goes on already, however many are started in the same moment", async () => {
    await world.publish(
      "copper-kettle: 1\nname: single\nlimits: { parallel: 1, when-busy: skip }\nsteps:\n  - { step: w, wait: { for: 3s } }\n",
    );
    const started = await Promise.all(Array.from({ length: 20 }, () => world.run("single")));
    const states = await Promise.all(
      started.map(async ({ id }) => (await world.settled(id, ["succeeded", "skipped"])).state),
    );
    expect(states.filter((state) => state === "succeeded")).toHaveLength(1);
  });

  it("more of them than can act at once, each waiting for one that it called, all end", async () => {
    await world.publish(
      "copper-kettle: 1\nname: called\nsteps:\n  - { step: n, note: x }\n  - { step: r, respond: { body: done } }\n",
    );
    await world.publish(
      "copper-kettle: 1\nname: calling\nsteps:\n  - { step: c, workflow: { name: called } }\n",
    );
    await Promise.all(Array.from({ length: 600 }, () => world.run("calling")));
    await until(
      async () => {
        const { runs } = await world.client.call(routes.status);
        return !runs["running"] && !runs["queued"] && !runs["waiting"];
      },
      "all have ended",
      25_000,
    );
    const { runs } = await world.client.call(routes.listRuns, {
      query: { workflow: "calling", state: "succeeded", limit: 200 },
    });
    expect(runs).toHaveLength(200);
  }, 90_000);
});
