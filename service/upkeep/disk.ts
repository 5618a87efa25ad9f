import { statfs } from "node:fs/promises";
import type { Message } from "../notifications/messages.js";
import { diskMessage } from "../notifications/messages.js";
import type { News } from "../notifications/notifier.js";
import type { RunFaults } from "../runs/faults.js";

/** Bytes of the disk that a data folder lies on. */
export interface Room {
  free: number;
  total: number;
}

/** Below this part of the disk people are notified. */
const lowPart = 0.2;
/** Below so many bytes no run begins or goes on; of a disk under 10 GB, below a twentieth of it. */
const floorBytes = 500_000_000;
const floorPart = 0.05;

const key = "disk";

interface Parts {
  folder: string;
  console: string;
  /** Lets no run begin, until it is called with false. */
  rest(resting: boolean): void;
  faults: Pick<RunFaults, "trouble">;
  take(news: readonly News[]): Promise<void>;
  now(): number;
  room?(): Promise<Room>;
}

/** Watches the room on the disk: people know before it ends, and runs rest while there is some left to end well. */
export class DiskWatch {
  #resting = false;
  #trouble: RunFaults["trouble"];

  constructor(readonly parts: Parts) {}

  /** Whether runs rest for want of room. */
  get resting(): boolean {
    return this.#resting;
  }

  /** Looks once; what cannot be found out changes nothing. */
  async look(): Promise<void> {
    const { parts } = this;
    const room = await (parts.room ?? (() => roomOf(parts.folder)))();
    const { free, total } = room;
    if (total === 0) return;
    this.#rest(room, free < Math.min(floorBytes, total * floorPart));
    await parts.take([free < total * lowPart ? { key, message: this.#message(room) } : { over: key }]);
  }

  #rest(room: Room, resting: boolean): void {
    if (resting === this.#resting) return;
    this.#resting = resting;
    const { faults, rest, now } = this.parts;
    if (resting) {
      this.#trouble = {
        at: now(),
        message: `The disk has ${sizeOf(room.free)} left: no run begins or goes on. Make room on the disk of ${this.parts.folder}; they go on by themselves within a minute.`,
        lasts: true,
      };
      faults.trouble = this.#trouble;
    } else if (faults.trouble === this.#trouble) faults.trouble = undefined;
    rest(resting);
  }

  #message({ free, total }: Room): Message {
    const { folder, console } = this.parts;
    return diskMessage(folder, `${sizeOf(free)} of ${sizeOf(total)}`, console);
  }
}

async function roomOf(folder: string): Promise<Room> {
  const { bavail, blocks, bsize } = await statfs(folder);
  return { free: bavail * bsize, total: blocks * bsize };
}

function sizeOf(bytes: number): string {
  return bytes < 1e9 ? `${Math.floor(bytes / 1e6)} MB` : `${Math.floor(bytes / 1e8) / 10} GB`;
}
