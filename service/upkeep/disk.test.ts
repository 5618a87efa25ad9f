import { describe, expect, it } from "vitest";
import type { News } from "../notifications/notifier.js";
import { DiskWatch, type Room } from "./disk.js";

describe("room on the disk", () => {
  const watching = () => {
    const told: string[] = [];
    const rests: boolean[] = [];
    const faults: DiskWatch["parts"]["faults"] = { trouble: undefined };
    let room: Room = { free: 0, total: 0 };
    const watch = new DiskWatch({
      folder: "data",
      console: "http://huts.example",
      rest: (resting) => rests.push(resting),
      faults,
      take: async (news: readonly News[]) =>
        void told.push(...news.map((one) => ("over" in one ? "over" : one.message.text))),
      now: () => 7,
      room: async () => room,
    });
    const look = async (free: number, total: number): Promise<void> => {
      room = { free, total };
      await watch.look();
    };
    return { told, rests, faults, watch, look };
  };

  it("is said to people below a fifth; below 500 MB all runs rest, and they go on once there is more", async () => {
    const { told, rests, faults, watch, look } = watching();
    await look(21e9, 100e9);
    expect(told).toEqual(["over"]);
    await look(19.96e9, 100e9);
    expect(told[1]).toContain("19.9 GB of 100 GB");
    expect(rests).toEqual([]);
    await look(499e6, 100e9);
    await look(480e6, 100e9);
    expect([rests, watch.resting]).toEqual([[true], true]);
    expect(faults.trouble?.message).toContain("499 MB");
    await look(501e6, 100e9);
    expect([rests, faults.trouble]).toEqual([[true, false], undefined]);
  });

  it("counts in parts on a small disk, and says nothing of one that tells nothing", async () => {
    const { rests, told, look } = watching();
    await look(60e6, 1e9);
    expect(rests).toEqual([]);
    await look(49e6, 1e9);
    expect(rests).toEqual([true]);
    told.length = 0;
    await look(0, 0);
    expect([rests, told]).toEqual([[true], []]);
  });

  it("leaves another trouble as it is", async () => {
    const { faults, look } = watching();
    await look(1, 100e9);
    const damaged = { at: 8, message: "damaged", lasts: true };
    faults.trouble = damaged;
    await look(50e9, 100e9);
    expect(faults.trouble).toBe(damaged);
  });
});
