import { bounds } from "@copper-kettle/core";
import { Transaction, type Sequelize } from "sequelize";
import type sqlite3 from "sqlite3";
import { OneAtATime } from "../one-at-a-time.js";

/** A read that looked at rows for longer than it may, or found too many such reads before it. */
export class ScanTooLong extends Error {
  override name = "ScanTooLong";
}

/**
 * Reads that no index serves, such as a search for a text: one at a time, on a connection of their own that cannot write.
 * One that takes too long, or that nobody waits for any more, is interrupted, so that neither lists nor commits wait for it.
 */
export class Scans {
  readonly #turns = new OneAtATime();
  readonly #transaction: Transaction;
  #waiting = 0;

  /** @param connection a connection of its own, with `query_only` */
  constructor(
    sequelize: Sequelize,
    readonly connection: sqlite3.Database,
    readonly most = { millis: bounds.scanMillis as number, waiting: bounds.scansWaiting as number },
  ) {
    this.#transaction = new Transaction(sequelize, {});
    (this.#transaction as unknown as { connection: sqlite3.Database }).connection = connection;
  }

  /**
   * Reads when its turn comes.
   * @param read reads with the models, within what it is given
   * @param gone whoever asked has gone: it is not read, or no further
   * @throws ScanTooLong where it takes too long, or too many wait
   */
  async run<T>(read: (within: Transaction) => Promise<T>, gone?: AbortSignal): Promise<T> {
    if (this.#waiting >= this.most.waiting) throw new ScanTooLong("Too many searches wait for their turn.");
    this.#waiting++;
    try {
      return await this.#turns.run(() => this.#within(read, gone));
    } finally {
      this.#waiting--;
    }
  }

  async #within<T>(read: (within: Transaction) => Promise<T>, gone?: AbortSignal): Promise<T> {
    gone?.throwIfAborted();
    let late = false;
    let again: NodeJS.Timeout | undefined;
    // Again and again: an interrupt ends only what is on its way, and a statement may not be yet.
    const interrupt = (): void => {
      this.connection.interrupt();
      again ??= setInterval(() => this.connection.interrupt(), 10);
    };
    const timer = setTimeout(() => {
      late = true;
      interrupt();
    }, this.most.millis);
    gone?.addEventListener("abort", interrupt);
    try {
      return await read(this.#transaction);
    } catch (error) {
      gone?.throwIfAborted();
      if (late) throw new ScanTooLong(`It took longer than ${this.most.millis / 1_000} seconds.`);
      throw error;
    } finally {
      clearTimeout(timer);
      clearInterval(again);
      gone?.removeEventListener("abort", interrupt);
    }
  }
}
