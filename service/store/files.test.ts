import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import type { FileAbout } from "@copper-kettle/core";
import { execute, select } from "./database.js";
import { FileStore, inheritFiles, type FileOwner } from "./files.js";
import { Forgetting } from "./forgetting.js";
import { TestStore } from "./store.test.kit.js";

const day = 86_400_000;
const run = (id: string): FileOwner => ({ kind: "run", id });
const about: FileAbout = { name: "map.bin", mediaType: "application/octet-stream" };

describe("stored files", () => {
  let it_: TestStore;
  let files: FileStore;
  beforeEach(async () => {
    it_ = await TestStore.open();
    files = new FileStore(it_.writer, it_.blobs, it_.sealer);
  });
  afterEach(() => it_.close());

  const textOf = async (id: string, owner: FileOwner): Promise<string> => {
    let text = "";
    for await (const piece of (await files.open(owner, id)).pieces()) text += Buffer.from(piece).toString();
    return text;
  };
  const bodies = (): string[] =>
    readdirSync(join(it_.folder, "blobs")).flatMap((part) => readdirSync(join(it_.folder, "blobs", part)));

  it("come in pieces, and are never whole in memory, neither plain nor sealed", async () => {
    const piece = Buffer.alloc(1_000_000, "x");
    for (const secret of [false, true]) {
      let [under, most] = [0, 0];
      async function* many(): AsyncGenerator<Uint8Array> {
        for (let count = 0; count < 120; count++) {
          most = Math.max(most, process.memoryUsage().arrayBuffers - under);
          yield piece;
        }
      }
      under = process.memoryUsage().arrayBuffers;
      const kept = await files.keep(run("r1"), many(), { ...about, secret });
      expect(kept).toMatchObject({ name: "map.bin", size: 120_000_000 });
      const read = await files.open(run("r1"), kept["file"] as string);
      expect(read.size).toBe(120_000_000);
      let size = 0;
      for await (const one of read.pieces()) {
        size += one.length;
        most = Math.max(most, process.memoryUsage().arrayBuffers - under);
      }
      expect(size).toBe(120_000_000);
      expect(most).toBeLessThan(60_000_000);
    }
  });

  it("are there for those that they belong to, and go with the last of them", async () => {
    const [a, b] = [
      await files.keep(run("r1"), [Buffer.from("one")], about),
      await files.keep(run("r1"), [Buffer.from("two")], { ...about, secret: true }),
    ].map(({ file }) => file as string) as [string, string];
    for (const id of ["r1", "r2", "r3"]) await it_.addRun(id);
    const statements = [
      inheritFiles({ kind: "run", id: "r2" }, { kind: "run", id: "r1" }, [a, "none"]),
      inheritFiles({ kind: "run", id: "r3" }, { kind: "run", id: "r1" }),
    ];
    await it_.writer.commit({ records: [], statements });
    expect(await textOf(a, run("r2"))).toBe("one");
    expect(await textOf(b, run("r3"))).toBe("two");
    await expect(files.open(run("r2"), b)).rejects.toThrow("has no file");
    await expect(files.open(run("r4"), a)).rejects.toThrow("has no file");

    const forgetting = new Forgetting(it_.writer, it_.blobs, () => day);
    const forget = async (id: string): Promise<void> => {
      await execute(it_.store.connection, "UPDATE runs SET state = 'succeeded', ended_at = 1 WHERE id = ?", [
        id,
      ]);
      await forgetting.someRuns("w", { days: 0, runs: undefined });
    };
    await forget("r1");
    expect(await textOf(b, run("r3"))).toBe("two");
    await forget("r3");
    expect((await select<{ id: string }>(it_.store, "SELECT id FROM files")).map(({ id }) => id)).toEqual([
      a,
    ]);
    expect(await textOf(a, run("r2"))).toBe("one");
    await forget("r2");
    expect(await select(it_.store, "SELECT * FROM files")).toEqual([]);
    expect(await select(it_.store, "SELECT * FROM file_owners")).toEqual([]);
  });

  it("without an owner stay for a day", async () => {
    await files.keep(run("r1"), [Buffer.from("one")], about);
    await execute(it_.store.connection, "DELETE FROM file_owners");
    const later = (millis: number) =>
      new Forgetting(it_.writer, it_.blobs, () => Date.now() + millis).filesWithoutOwner();
    await later(day - 60_000);
    expect(await select(it_.store, "SELECT id FROM files")).toHaveLength(1);
    await later(day + 60_000);
    expect(await select(it_.store, "SELECT id FROM files")).toEqual([]);
  });

  it("that were damaged on the disk never come to their end", async () => {
    const kept = await files.keep(run("r1"), [Buffer.alloc(300_000, "y")], about);
    const path = join(it_.folder, "blobs", String(kept["sha256"]).slice(0, 2), String(kept["sha256"]));
    const bytes = readFileSync(path);
    bytes[5] = 0;
    writeFileSync(path, bytes);
    let size = 0;
    const read = async (): Promise<void> => {
      const { pieces } = await files.open(run("r1"), kept["file"] as string);
      for await (const piece of pieces()) size += piece.length;
    };
    await expect(read()).rejects.toThrow("does not hold what it was written with");
    expect(size).toBeLessThan(300_000);
  });

  it("that break off on their way in leave nothing; equal ones are stored once", async () => {
    async function* breaking(): AsyncGenerator<Uint8Array> {
      yield Buffer.from("half");
      throw new Error("cut");
    }
    await expect(files.keep(run("r1"), breaking(), about)).rejects.toThrow("cut");
    expect(bodies()).toEqual([]);
    for (let count = 0; count < 3; count++) await files.keep(run("r1"), [Buffer.from("same")], about);
    expect(bodies()).toHaveLength(1);
  });

  it("of an event go with its body, and a day later where no event came of them", async () => {
    const event = (id: string) => ({ kind: "event", id }) as const;
    const ids: string[] = [];
    for (const id of ["told", "old", "killed"])
      ids.push((await files.keep(event(id), [Buffer.from(id)], about))["file"] as string);
    const into = "events (id, workflow, trigger_name, kind, version, at, state, brought)";
    const row = (id: string, brought: string) => ({
      key: id,
      into,
      values: [id, "w", "t", "webhook", 1, 0, "left-out", brought],
    });
    await it_.writer.commit({ records: [], statements: [row("told", '{"a":1}'), row("old", "{}")] });
    const left = async (now: number): Promise<string[]> => {
      await new Forgetting(it_.writer, it_.blobs, () => now).filesWithoutOwner();
      const rows = await select<{ id: string }>(it_.store, "SELECT id FROM files");
      return ids.filter((id) => rows.some((one) => one.id === id));
    };
    expect(await left(Date.now() + day / 2)).toEqual(ids);
    expect(await left(Date.now() + day * 1.5)).toEqual([ids[0]]);
    expect(await textOf(ids[0] ?? "", event("told"))).toBe("told");
  });
});
