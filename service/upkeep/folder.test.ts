import { existsSync } from "node:fs";
import { mkdtemp, rm, stat } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { afterEach, beforeEach, describe, expect, it } from "vitest";
import { keepRoom, openWithRoom } from "./folder.js";

describe("a disk that is full", () => {
  let folder: string;
  const room = (): string => join(folder, "room");
  beforeEach(async () => void (folder = await mkdtemp(join(tmpdir(), "ckettle-room-"))));
  afterEach(() => rm(folder, { recursive: true }));

  it("is opened with the room that was kept for that, and once more only", async () => {
    await keepRoom(folder);
    expect((await stat(room())).size).toBeGreaterThan(100_000);
    const full = Object.assign(new Error("disk I/O error"), { code: "SQLITE_IOERR" });
    const open = async (): Promise<string> => {
      if (existsSync(room())) throw full;
      return "opened";
    };
    expect(await openWithRoom(folder, open)).toBe("opened");
    expect(existsSync(room())).toBe(false);
    await expect(openWithRoom(folder, () => Promise.reject(full))).rejects.toBe(full);
  });

  it("gives nothing up for another fault", async () => {
    await keepRoom(folder);
    await expect(openWithRoom(folder, () => Promise.reject(new Error("no such table")))).rejects.toThrow(
      "no such",
    );
    expect(existsSync(room())).toBe(true);
  });
});
