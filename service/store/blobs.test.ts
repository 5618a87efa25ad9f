import { mkdtemp, readdir, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Blobs } from "./blobs.js";
import { DamagedBody, storageFault } from "./faults.js";

describe("large bodies beside the database", () => {
  let folder: string;
  let blobs: Blobs;
  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), "ckettle-blobs-"));
    blobs = new Blobs(folder);
  });
  afterEach(async () => {
    vi.useRealTimers();
    await rm(folder, { recursive: true });
  });

  it("that are gone, or hold something else than they were written with, are said to be damaged", async () => {
    const digest = await blobs.keep(Buffer.from("a body"));
    expect((await blobs.read(digest)).toString()).toBe("a body");
    const path = join(folder, digest.slice(0, 2), digest);
    await writeFile(path, "another");
    await expect(blobs.read(digest)).rejects.toThrow("does not hold what it was written with");
    await rm(path);
    await expect(blobs.read(digest)).rejects.toBeInstanceOf(DamagedBody);
    expect(storageFault(new DamagedBody("x"))).toBeUndefined();
  });

  it("are there after they were kept again while they were being removed", async () => {
    vi.useFakeTimers({ now: 0, toFake: ["Date"] });
    for (let tries = 0; tries < 50; tries++) {
      const bytes = Buffer.from(`body ${tries}`);
      const digest = await blobs.keep(bytes);
      vi.setSystemTime(Date.now() + 120_000);
      const removing = blobs.remove(digest);
      const keeping = blobs.keep(bytes);
      expect(await removing).toBe(true);
      await keeping;
      expect((await blobs.read(digest)).toString()).toBe(`body ${tries}`);
    }
  });

  it("stay while a row that names them may be on its way", async () => {
    const digest = await blobs.keep(Buffer.from("a body"));
    expect(await blobs.remove(digest)).toBe(false);
    expect(await readdir(join(folder, digest.slice(0, 2)))).toEqual([digest]);
  });
});
