import type { Awaited } from "@copper-kettle/core";
import { EventEmitter } from "node:events";
import type { Transaction } from "sequelize";
import { gathered, type Batch, type Gathered } from "./batches.js";
import type { Store } from "./database.js";
import { PreparedStatements } from "./prepared.js";
import type { Joined } from "./statements.js";
import { move, type Moves, type Woken } from "./waits.js";

/** A row that goes along with a commit; outside of the store nobody looks into it. */
export type { KeyedStatement as StoreRow } from "./statements.js";

/** So many units share a transaction: those behind them should not wait for too many. */
const mostUnits = 32;

/** What a unit of work may do besides its rows. */
export interface Unit {
  /** Wakes the runs that wait for this, in the same transaction. */
  comes(awaited: Awaited): void;
  /** Called once it is durable, before anybody is woken. */
  after(done: () => void): void;
}

interface WriterEvents {
  /** Runs that go on, since what they wait for has come; it is durable. */
  woken: [runs: Woken[]];
}

interface WaitingUnit {
  /** Does the work; what it returns is called once it is durable. */
  run(transaction: Transaction, moved: (moves: Moves) => Promise<void>): Promise<() => void>;
  reject(error: unknown): void;
}

interface Waiting extends Batch {
  resolve(): void;
  reject(error: unknown): void;
}

/**
 * The one writer. Everything that writes goes through its queue on its connection. The hot path is a group commit
 * without a timer: what arrives while a commit is under way makes up the next one.
 */
export class Writer {
  readonly events = new EventEmitter<WriterEvents>();
  #waiting: Waiting[] = [];
  #units: WaitingUnit[] = [];
  #between: (() => Promise<void>)[] = [];
  #working: Promise<void> | undefined;
  readonly #statements: PreparedStatements;
  /** Who gave a batch that could not be written: what comes behind it must not be there without it. */
  readonly #broken = new WeakMap<object, unknown>();
  #closed = false;
  /** How many transactions were committed since the start. */
  commits = 0;

  constructor(readonly store: Store) {
    this.#statements = new PreparedStatements(store.connection);
  }

  /** Makes a batch durable. Batches become durable in the order in which they were given. */
  commit(batch: Batch): Promise<void> {
    return new Promise((resolve, reject) => {
      this.#waiting.push({ ...batch, resolve, reject });
      this.#wake();
    });
  }

  /**
   * Runs a unit of work: in a savepoint of the transaction that it shares with others, in the order in which they were
   * given. What it finds there is so when it commits. Models take the transaction that it gets. One that throws leaves
   * nothing behind, and those beside it are as they were.
   */
  write<T>(work: (transaction: Transaction, unit: Unit) => Promise<T>): Promise<T> {
    return this.#queue(async (transaction, moved, after) => {
      const comes: Awaited[] = [];
      const result = await work(transaction, {
        comes: (one) => comes.push(one),
        after: (done) => after.push(done),
      });
      if (comes.length > 0) await moved({ rests: [], ended: [], comes });
      return result;
    });
  }

  /**
   * Runs a unit of work of a run: what it found, its entries say, in the same transaction. One that throws leaves nothing
   * behind but the entries that say so. Where these cannot be written, nothing of the owner comes behind them.
   * @param owner whose batches stand before and behind it
   * @param batchOf the entries, of what the work gave or threw
   * @returns what the work gave or threw, once it is durable; rejects where it could not be written
   */
  act<T>(
    owner: object,
    work: (transaction: Transaction, unit: Unit) => Promise<T>,
    batchOf: (result: PromiseSettledResult<T>) => Promise<Batch>,
  ): Promise<PromiseSettledResult<T>> {
    const acted = this.#queue(async (transaction, moved, after) => {
      if (this.#broken.has(owner)) throw this.#broken.get(owner);
      const [comes, done]: [Awaited[], (() => void)[]] = [[], []];
      const unit: Unit = { comes: (one) => comes.push(one), after: (one) => done.push(one) };
      await this.#statements.run("SAVEPOINT work");
      const [result] = await Promise.allSettled([work(transaction, unit)]);
      if (result.status === "rejected") await this.#statements.run("ROLLBACK TO work");
      await this.#statements.run("RELEASE work");
      const { rows, others, inserts, moves } = gathered([await batchOf(result)]);
      await this.#apply({ rows, others, inserts, moves: undefined });
      if (moves) await moved(moves);
      if (result.status === "fulfilled") {
        after.push(...done);
        if (comes.length > 0) await moved({ rests: [], ended: [], comes });
      }
      return result;
    });
    return acted.catch((error: unknown) => {
      this.#broken.set(owner, error);
      throw error;
    });
  }

  #queue<T>(
    work: (
      transaction: Transaction,
      moved: (moves: Moves) => Promise<void>,
      after: (() => void)[],
    ) => Promise<T>,
  ): Promise<T> {
    return new Promise((resolve, reject) => {
      const after: (() => void)[] = [];
      this.#units.push({
        async run(transaction, moved) {
          const result = await work(transaction, moved, after);
          return () => {
            for (const done of after) done();
            resolve(result);
          };
        },
        reject,
      });
      this.#wake();
    });
  }

  /** Does something on the writer's connection while no transaction is open on it; commits wait until it is done. */
  between<T>(work: (connection: Store["connection"]) => Promise<T>): Promise<T> {
    return new Promise((resolve, reject) => {
      this.#between.push(() => work(this.store.connection).then(resolve, reject));
      this.#wake();
    });
  }

  /** Resolves when all that was given so far is durable, and takes nothing more. */
  async close(): Promise<void> {
    while (this.#working) await this.#working;
    this.#closed = true;
    await this.#statements.close();
  }

  #wake(): void {
    if (this.#closed) throw new Error("The store is closed.");
    this.#working ??= this.#work().finally(() => {
      this.#working = undefined;
      if (this.#hasWork) this.#wake();
    });
  }

  async #work(): Promise<void> {
    // What is given in the same turn of the event loop shares a commit.
    await new Promise((resolve) => setImmediate(resolve));
    while (this.#hasWork) {
      for (const work of this.#between.splice(0, 1)) await work();
      const batches = this.#waiting;
      this.#waiting = [];
      const units = this.#units.splice(0, mostUnits);
      if (units.length > 0) await this.#group(batches, units);
      else await this.#commitAll(batches);
    }
  }

  get #hasWork(): boolean {
    return this.#waiting.length + this.#units.length + this.#between.length > 0;
  }

  /** Batches and units in one transaction. */
  async #group(given: Waiting[], units: WaitingUnit[]): Promise<void> {
    const batches = this.#unbroken(given);
    const woken: Woken[] = [];
    const moved = async (moves: Moves): Promise<void> => void woken.push(...(await this.#move(moves)));
    try {
      await this.#statements.run("BEGIN IMMEDIATE");
      woken.push(...(await this.#apply(gathered(batches))));
    } catch (error) {
      await this.#statements.run("ROLLBACK").catch(() => undefined);
      if (batches.length === 0) return this.#failAll([], units, error);
      // A batch is at fault: each by itself, and the units behind them.
      for (const batch of batches) await this.#commitAll([batch]);
      return this.#group([], units);
    }
    const done: (() => void)[] = [];
    let last: unknown;
    try {
      for (const unit of units) {
        const before = woken.length;
        await this.#statements.run("SAVEPOINT unit");
        try {
          done.push(await unit.run(this.store.writing, moved));
        } catch (error) {
          woken.length = before;
          last = error;
          await this.#statements.run("ROLLBACK TO unit");
          last = undefined;
          done.push(() => unit.reject(error));
        }
        await this.#statements.run("RELEASE unit");
      }
      await this.#statements.run("COMMIT");
      this.commits++;
    } catch (error) {
      // The transaction itself has failed, of a full disk, say: there is no savepoint to go back to, and nothing was kept.
      await this.#statements.run("ROLLBACK").catch(() => undefined);
      return this.#failAll(batches, units, last ?? error);
    }
    for (const batch of batches) batch.resolve();
    for (const settle of done) settle();
    this.#wakes(woken);
  }

  /** Nothing of a group was kept: batches are tried by themselves, units say so. */
  async #failAll(batches: Waiting[], units: WaitingUnit[], error: unknown): Promise<void> {
    for (const unit of units) unit.reject(error);
    for (const batch of batches) await this.#commitAll([batch]);
  }

  async #commitAll(given: Waiting[]): Promise<void> {
    const batches = this.#unbroken(given);
    const [first] = batches;
    if (!first) return;
    try {
      const woken = await this.#transaction(batches);
      this.#wakes(woken);
      for (const batch of batches) batch.resolve();
    } catch (error) {
      if (batches.length === 1) {
        if (first.owner) this.#broken.set(first.owner, error);
        return first.reject(error);
      }
      // One of them is at fault: each by itself, so that only that one fails.
      for (const batch of batches) await this.#commitAll([batch]);
    }
  }

  /** Refuses what a writer gave behind something of its own that could not be written, before it knew. */
  #unbroken(batches: Waiting[]): Waiting[] {
    return batches.filter(({ owner, reject }) => {
      if (!owner || !this.#broken.has(owner)) return true;
      // For the reason for which what comes before it could not.
      reject(this.#broken.get(owner));
      return false;
    });
  }

  async #transaction(batches: Batch[]): Promise<Woken[]> {
    const all = gathered(batches);
    const [only, ...more] = all.inserts;
    const isShort = all.rows.length + all.others.length + more.length === 0 && !all.moves;
    if (isShort) {
      // A single statement is a transaction of its own.
      if (only) await this.#statements.run(only.sql, only.values);
      this.commits++;
      return [];
    }
    await this.#statements.run("BEGIN IMMEDIATE");
    try {
      const woken = await this.#apply(all);
      await this.#statements.run("COMMIT");
      this.commits++;
      return woken;
    } catch (error) {
      await this.#statements.run("ROLLBACK").catch(() => undefined);
      throw error;
    }
  }

  /** Writes what batches change, in the transaction that is open; returns the runs that go on. */
  async #apply({ rows, others, inserts, moves }: Gathered): Promise<Woken[]> {
    const run = ({ sql, values }: Joined): Promise<void> => this.#statements.run(sql, values);
    // Statements under way together are in no order.
    await allOf(rows.map(run));
    await allOf([...others, ...inserts].map(run));
    return moves ? this.#move(moves) : [];
  }

  #move(moves: Moves): Promise<Woken[]> {
    return move((sql, values) => this.#statements.rows(sql, values), moves);
  }

  #wakes(woken: Woken[]): void {
    if (woken.length > 0) this.events.emit("woken", woken);
  }
}

/** Waits for all of them, whatever becomes of each; then throws what the first threw. */
async function allOf(running: Promise<void>[]): Promise<void> {
  const results = await Promise.allSettled(running);
  for (const result of results) if (result.status === "rejected") throw result.reason;
}
