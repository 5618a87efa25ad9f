import { execute, select } from "./database.js";
import type { Writer } from "./writer.js";

/** The service did not run for a while, in milliseconds since 1970. */
export interface Stop {
  from: number;
  to: number;
}

/** So many are kept; older ones are of no run that is looked at. */
const mostLives = 1_000;
/** So many stops are shown of one run, the last ones. */
const mostStops = 20;

/** When the service ran. A kill leaves its last sign of life, which is given each minute. */
export class LifeStore {
  #id = 0;

  private constructor(readonly writer: Writer) {}

  /** Begins a life. On a disk that is full it is not known later: the service starts all the same. */
  static async begun(writer: Writer, now: number): Promise<LifeStore> {
    const made = new LifeStore(writer);
    await made.#begin(now).catch(() => undefined);
    return made;
  }

  async #begin(now: number): Promise<void> {
    const { store } = this.writer;
    await this.writer.write(async () => {
      await execute(store.connection, "INSERT INTO lives (began, seen) VALUES (?, ?)", [now, now]);
      await execute(store.connection, "DELETE FROM lives WHERE id <= (SELECT max(id) FROM lives) - ?", [
        mostLives,
      ]);
    });
    const [row] = await select<{ id: number }>(store, "SELECT max(id) AS id FROM lives");
    this.#id = row?.id ?? 0;
  }

  async sign(now: number): Promise<void> {
    await this.#set("UPDATE lives SET seen = ? WHERE id = ?", [now, this.#id]);
  }

  /** Ends it; one whose end cannot be written had its last sign of life before. */
  async end(now: number): Promise<void> {
    const sql = "UPDATE lives SET seen = ?, ended = ? WHERE id = ?";
    await this.#set(sql, [now, now, this.#id]).catch(() => undefined);
  }

  /**
   * The times between two lives in a span of time, the oldest first. A kill may have come up to a minute after the last sign
   * of life, so only those count behind which the service was there again within the span: a run that had ended before the
   * kill knows nothing of it.
   */
  async stops(from: number, to: number): Promise<Stop[]> {
    const rows = await select<Stop>(
      this.writer.store,
      `SELECT "from", "to" FROM (
         SELECT lag(coalesce(ended, seen)) OVER (ORDER BY id) AS "from", began AS "to" FROM lives)
       WHERE "from" IS NOT NULL AND "to" > :from AND "to" <= :to ORDER BY "to" DESC LIMIT ${mostStops}`,
      { from, to },
    );
    return rows.reverse();
  }

  async #set(sql: string, values: number[]): Promise<void> {
    await this.writer.write(() => execute(this.writer.store.connection, sql, values));
  }
}
