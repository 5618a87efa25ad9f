import { readBody, type HttpResponse } from "@copper-kettle/core";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { AsideReader } from "./aside.js";

const csv = (first: string): HttpResponse => ({
  status: 200,
  url: "http://huts.example/tanks",
  headers: { "content-type": "text/csv" },
  body: new TextEncoder().encode(`${first},beds\n${"one,12\n".repeat(60_000)}`),
});

describe("large responses", () => {
  let folder: string;
  let reader: AsideReader;
  beforeEach(async () => void (folder = await mkdtemp(join(tmpdir(), "ckettle-aside-"))));
  afterEach(async () => {
    await reader.close();
    await rm(folder, { recursive: true });
  });

  it("are read as small ones are, in their order", async () => {
    reader = new AsideReader();
    const all = await Promise.all(["hut", "tank"].map((first) => reader.read(csv(first), undefined)));
    expect(JSON.stringify(all)).toBe(
      JSON.stringify(["hut", "tank"].map((first) => readBody(csv(first), undefined))),
    );
    expect(all[0]?.body).toHaveLength(60_000);
  });

  it("of which one takes too long or brings down its thread take no other with them", async () => {
    const thread = join(folder, "thread.mjs");
    await writeFile(
      thread,
      `import { parentPort } from "node:worker_threads";
      parentPort.on("message", ({ number, response }) => {
        const word = new TextDecoder().decode(response.body).split(",")[0];
        if (word === "long") for (;;);
        if (word === "down") throw new Error("down");
        parentPort.postMessage({ number, json: JSON.stringify({ body: word }) });
      });`,
    );
    reader = new AsideReader(thread, 4_000);
    const words = ["one", "long", "two", "down", "three"];
    const all = await Promise.all(words.map((word) => reader.read(csv(word), undefined)));
    expect(all).toEqual([
      { body: "one" },
      { body: null, fault: "Reading this body takes too long." },
      { body: "two" },
      { body: null, fault: "Reading this body takes too much memory." },
      { body: "three" },
    ]);
  });

  it("that wait at the end of the service are answered", async () => {
    reader = new AsideReader();
    const all = Promise.all(["a", "b"].map((first) => reader.read(csv(first), undefined)));
    await reader.close();
    expect((await all).map(({ fault }) => fault)).toEqual(
      Array(2).fill("Reading this body was cut off because the service stopped."),
    );
  });
});
