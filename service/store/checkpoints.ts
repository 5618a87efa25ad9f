import { stat } from "node:fs/promises";
import type sqlite3 from "sqlite3";
import { closed, opened, selectOn } from "./database.js";

const megabyte = 1_048_576;
/** From this size on the log is moved into the database as far as nobody reads it or writes to it. */
const passiveBytes = 16 * megabyte;
/** From this size on the writer then waits until the rest of it is moved, so that the log begins anew. */
const restartBytes = 32 * megabyte;
/** A long read may use the log: nobody waits longer than that for it, in milliseconds; it is tried again a second later. */
const patience = 100;
const lookMillis = 1_000;

/** Moves the write-ahead log into the database on a connection of its own, so that no commit pays for it. */
export class Checkpoints {
  #timer: NodeJS.Timeout | undefined;
  #working: Promise<unknown> = Promise.resolve();
  #seen = 0;

  private constructor(
    readonly file: string,
    readonly connection: sqlite3.Database,
  ) {}

  static async open(file: string): Promise<Checkpoints> {
    return new Checkpoints(file, await opened(file, `PRAGMA busy_timeout=${patience};`));
  }

  /** Looks each second; a failure is tried again then. */
  start(failed: (error: unknown) => void): void {
    this.#timer = setInterval(() => {
      this.#working = this.#working.then(() => this.look()).catch(failed);
    }, lookMillis);
    this.#timer.unref();
  }

  /** Moves the log if it is long enough and has changed. @returns the kind of checkpoint that was made */
  async look(): Promise<"PASSIVE" | "RESTART" | undefined> {
    const log = await stat(`${this.file}-wal`).catch(() => undefined);
    if (!log || log.size < passiveBytes || log.mtimeMs === this.#seen) return undefined;
    this.#seen = log.mtimeMs;
    await selectOn(this.connection, "PRAGMA wal_checkpoint(PASSIVE)");
    if (log.size < restartBytes) return "PASSIVE";
    // Most of it is moved by now, beside the writer.
    await selectOn(this.connection, "PRAGMA wal_checkpoint(RESTART)");
    return "RESTART";
  }

  /** Moves all of the log, and leaves nothing of it on the disk. */
  async empty(): Promise<void> {
    await selectOn(this.connection, "PRAGMA busy_timeout=10000");
    await selectOn(this.connection, "PRAGMA wal_checkpoint(TRUNCATE)");
    await selectOn(this.connection, `PRAGMA busy_timeout=${patience}`);
  }

  async close(): Promise<void> {
    clearInterval(this.#timer);
    await this.#working;
    await closed(this.connection);
  }
}
