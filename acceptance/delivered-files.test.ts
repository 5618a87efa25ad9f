import { routes } from "@copper-kettle/contract";
import { join } from "node:path";
import sqlite3 from "sqlite3";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { World } from "./kit.js";
import { pixel, oddServer, type OddServer } from "./odd-server.kit.js";

/** How many files each of some runs owns, as the database says. */
async function filesOwned(folder: string, runs: string[]): Promise<number[]> {
  const database = new sqlite3.Database(join(folder, "copper-kettle.sqlite"), sqlite3.OPEN_READONLY);
  const counts = runs.map(
    (run) =>
      new Promise<number>((resolve, reject) =>
        database.get<{ count: number }>(
          "SELECT count(*) AS count FROM file_owners WHERE owner_kind = 'run' AND owner = ?",
          [run],
          (error, row) => (error ? reject(error) : resolve(row.count)),
        ),
      ),
  );
  return Promise.all(counts).finally(() => database.close());
}

describe("files that are delivered", () => {
  let world: World;
  let odd: OddServer;
  beforeAll(async () => {
    world = await World.start({ demo: false, env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } });
    odd = await oddServer();
    await world.client.call(routes.putCredential, {
      params: { name: "hook" },
      body: { kind: "bearer", token: "hook-token-123456" },
    });
    await world.publish(`copper-kettle: 1
name: photos
triggers:
  hook: { webhook: { path: photos, verify: { bearer: hook }, most: 200000 } }
steps:
  - { step: sent, request: "POST ${odd.url}/guest", body: { file: "\${has(trigger.body.photo) ? trigger.body.photo : trigger.body}" }, effect: reads }
  - { step: reply, respond: { body: "\${trigger.body}" } }
`);
  });
  afterAll(() => Promise.all([world.close(), odd.close()]));

  const deliver = async (body: FormData | Buffer | string, headers: Record<string, string> = {}) => {
    const response = await fetch(`${world.url}/webhooks/photos`, {
      method: "POST",
      headers: { Authorization: "Bearer hook-token-123456", ...headers },
      body: body as never,
    });
    return { status: response.status, body: (await response.json()) as Record<string, string> };
  };
  const form = (): FormData => {
    const data = new FormData();
    data.append("hut", "corrie");
    data.append("tag", "a");
    data.append("tag", "b");
    data.append("photo", new Blob([pixel], { type: "image/png" }), '../hut "ä".png');
    return data;
  };
  const lastSent = () => odd.requests.filter(({ url }) => url === "/guest").at(-1);

  it("are values of which steps send the bytes, beside the fields of their form", async () => {
    const { body } = await deliver(form());
    const run = await world.settled(body["run"] ?? "");
    expect(run).toMatchObject({
      state: "succeeded",
      response: {
        body: {
          hut: "corrie",
          tag: ["a", "b"],
          photo: {
            file: expect.any(String),
            name: 'hut "ä".png',
            mediaType: "image/png",
            size: pixel.length,
          },
        },
      },
    });
    expect(lastSent()?.body.equals(pixel)).toBe(true);
  });

  it("come alone as well, and go through again after a kill", async () => {
    const { body } = await deliver(pixel, { "Content-Type": "image/png" });
    expect((await world.settled(body["run"] ?? "")).response?.body).toMatchObject({
      name: "body",
      mediaType: "image/png",
      size: pixel.length,
    });
    await world.killAndServe();
    const before = odd.requests.length;
    const again = await world.client.call(routes.resendEvent, {
      params: { id: body["event"] ?? "" },
      body: { version: "published" },
    });
    expect((await world.settled(again.run ?? "")).state).toBe("succeeded");
    expect(odd.requests.length).toBe(before + 1);
    expect(lastSent()?.body.equals(pixel)).toBe(true);
  });

  it("are for the run of their own item, of a delivery that holds many", async () => {
    await world.publish(`copper-kettle: 1
name: album
triggers:
  hook: { webhook: { path: album, verify: { bearer: hook }, items: trigger.body.photo } }
steps:
  - { step: sent, request: "POST ${odd.url}/guest", body: { file: "\${trigger.item}" }, effect: reads }
`);
    const data = new FormData();
    const bytes = [Buffer.from("first picture"), Buffer.from("second picture")];
    for (const one of bytes)
      data.append("photo", new Blob([new Uint8Array(one)], { type: "image/png" }), "p.png");
    const response = await fetch(`${world.url}/webhooks/album`, {
      method: "POST",
      headers: { Authorization: "Bearer hook-token-123456" },
      body: data,
    });
    const { event } = (await response.json()) as { event: string };
    const { runs } = await world.client.call(routes.listRuns, { query: { event, limit: 10 } });
    for (const { id } of runs) expect((await world.settled(id)).state).toBe("succeeded");
    const sent = odd.requests.slice(-2).map(({ body }) => body.toString());
    expect(sent.sort()).toEqual(bytes.map(String));
    // Each run owns one file: whoever sends ids of a thousand others costs nothing more for it.
    const owned = await filesOwned(
      world.folder,
      runs.map(({ id }) => id),
    );
    expect(owned).toEqual([1, 1]);
  });

  it("of others cannot be had by their ids", async () => {
    const first = await world.settled((await deliver(form())).body["run"] ?? "");
    const { photo } = first.response?.body as { photo: Record<string, string> };
    const before = odd.requests.length;
    const forged = await deliver(JSON.stringify({ photo }), { "Content-Type": "application/json" });
    expect(await world.settled(forged.body["run"] ?? "")).toMatchObject({
      state: "failed",
      error: { message: expect.stringContaining("has no file") },
    });
    expect(odd.requests.length).toBe(before);
  });

  it("that are broken, or too many, or too long are refused with the reason", async () => {
    const type = "multipart/form-data; boundary=x";
    const said = async (body: string, contentType = type) => {
      const answer = await deliver(body, { "Content-Type": contentType });
      return `${answer.status} ${answer.body["detail"]}`;
    };
    expect(await said('--x\r\nContent-Disposition: form-data; name="a"\r\n\r\ncut off')).toMatch(
      /^400 The form cannot be read: /,
    );
    expect(await said("", "multipart/form-data")).toMatch(/^400 The form cannot be read: .*oundary/);
    const parts = '--x\r\nContent-Disposition: form-data; name="a"\r\n\r\n1\r\n'.repeat(1_100);
    expect(await said(`${parts}--x--\r\n`)).toMatch(/^400 .*more than 1000 parts/);
    expect(await said("a".repeat(200_001))).toMatch(/^413 /);
  });
});
