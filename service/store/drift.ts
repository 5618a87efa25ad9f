import type { Mismatch } from "@copper-kettle/core";
import { DriftRow } from "./api-models.js";
import type { Writer } from "./writer.js";

/** Where a response came from. */
export interface Seen {
  api: string;
  operation: string;
  status: number;
  /** The run, or null for a try. */
  run: string | null;
}

interface Known {
  row: Seen & Mismatch & { firstAt: number; lastAt: number; count: number };
  /** Whether it is to be written. */
  changed: boolean;
}

/** How long what was seen again may wait until it is written, in milliseconds. */
const pause = 2_000;
/** Beyond so many places of one API nothing new is noted: its document is then of no use at all. */
const mostPerApi = 500;

/** Where real responses depart from the documents: each place once, with first and last time and how often. */
export class DriftStore {
  readonly #known = new Map<string, Map<string, Known>>();
  #timer: NodeJS.Timeout | undefined;
  #saving: Promise<void> = Promise.resolve();

  constructor(readonly writer: Writer) {}

  async loadAll(): Promise<void> {
    for (const row of await DriftRow.findAll({ raw: true })) {
      const known = row as unknown as Known["row"];
      this.#of(known.api).set(keyOf(known), { row: known, changed: false });
    }
  }

  /** Notes what a response departs in. Cheap: nothing is written where it was seen a moment ago. */
  note(seen: Seen, mismatches: readonly Mismatch[]): void {
    if (mismatches.length === 0) return;
    const places = this.#of(seen.api);
    const now = Date.now();
    for (const departure of mismatches) {
      const key = keyOf({ ...seen, ...departure });
      const known = places.get(key);
      if (known) {
        known.row.lastAt = now;
        known.row.count++;
        known.changed = true;
      } else if (places.size < mostPerApi) {
        const row = { ...seen, ...departure, firstAt: now, lastAt: now, count: 1 };
        places.set(key, { row, changed: true });
      }
    }
    this.#timer ??= setTimeout(() => void this.save().catch(() => undefined), pause).unref();
  }

  /** What was seen, the newest first; of one API or of all. */
  list(api?: string): Known["row"][] {
    const places = api === undefined ? [...this.#known.values()] : [this.#of(api)];
    return places
      .flatMap((one) => [...one.values()].map(({ row }) => row))
      .sort((a, b) => b.lastAt - a.lastAt || (a.path < b.path ? -1 : 1));
  }

  /** Forgets what was seen, of an API or of one of its operations; what is so still will be seen again. */
  async forget(api: string, operation?: string): Promise<number> {
    await this.save();
    const places = this.#of(api);
    const gone = [...places].filter(([, { row }]) => operation === undefined || row.operation === operation);
    for (const [key] of gone) places.delete(key);
    const where = operation === undefined ? { api } : { api, operation };
    await this.writer.write((transaction) => DriftRow.destroy({ where, transaction }));
    return gone.length;
  }

  /** Writes what is not written yet. */
  save(): Promise<void> {
    clearTimeout(this.#timer);
    this.#timer = undefined;
    this.#saving = this.#saving.catch(() => undefined).then(() => this.#write());
    return this.#saving;
  }

  async #write(): Promise<void> {
    const changed = [...this.#known.values()].flatMap((one) =>
      [...one.values()].filter((known) => known.changed),
    );
    if (changed.length === 0) return;
    for (const known of changed) known.changed = false;
    try {
      await this.writer.write(async (transaction) => {
        for (const { row } of changed) await DriftRow.upsert({ ...row }, { transaction });
      });
    } catch (error) {
      for (const known of changed) known.changed = true;
      throw error;
    }
  }

  #of(api: string): Map<string, Known> {
    let places = this.#known.get(api);
    if (!places) {
      places = new Map();
      this.#known.set(api, places);
    }
    return places;
  }
}

function keyOf({ operation, status, what, path }: Seen & Mismatch): string {
  return `${operation} ${status} ${what} ${path}`;
}
