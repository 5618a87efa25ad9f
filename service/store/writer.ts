import type { Transaction } from "sequelize";
import type { Statement } from "sqlite3";
import { EventEmitter } from "node:events";
import type { Awaited } from "@copper-kettle/core";
import { execute, type Store } from "./database.js";
import { intoSql, joined, mostRows, type KeyedStatement } from "./statements.js";
import { move, type Moves, type Woken } from "./waits.js";

/** One row of the journal: the entries of one commit of one run. */
export interface JournalRecord {
  run: string;
  seq: number;
  count: number;
  at: number;
  entries: string | null;
  sealed: Buffer | null;
  entriesBlob: string | null;
  sealedBlob: string | null;
}

/** What becomes durable together, in the hot path. */
export interface Batch extends Partial<Moves> {
  records: JournalRecord[];
  statements: KeyedStatement[];
}

/** What a low-rate write may do besides its rows. */
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
  #tasks: (() => Promise<void>)[] = [];
  #working: Promise<void> | undefined;
  readonly #prepared = new Map<string, Promise<Statement>>();
  #closed = false;

  constructor(readonly store: Store) {}

  /** Makes a batch durable. Batches become durable in the order in which they were given. */
  commit(batch: Batch): Promise<void> {
    return new Promise((resolve, reject) => {
      this.#waiting.push({ ...batch, resolve, reject });
      this.#wake();
    });
  }

  /** Runs one low-rate write in a transaction of its own; models take the transaction that it gets. */
  write<T>(work: (transaction: Transaction, unit: Unit) => Promise<T>): Promise<T> {
    return new Promise((resolve, reject) => {
      this.#tasks.push(async () => {
        const comes: Awaited[] = [];
        const after: (() => void)[] = [];
        const unit: Unit = { comes: (one) => comes.push(one), after: (done) => after.push(done) };
        try {
          await execute(this.store.connection, "BEGIN IMMEDIATE");
          const result = await work(this.store.writing, unit);
          const woken = comes.length > 0 ? await this.#move({ rests: [], ended: [], comes }) : [];
          await execute(this.store.connection, "COMMIT");
          for (const done of after) done();
          this.#wakes(woken);
          resolve(result);
        } catch (error) {
          await execute(this.store.connection, "ROLLBACK").catch(() => undefined);
          reject(error);
        }
      });
      this.#wake();
    });
  }

  /** Resolves when all that was given so far is durable, and takes nothing more. */
  async close(): Promise<void> {
    while (this.#working) await this.#working;
    this.#closed = true;
    for (const prepared of this.#prepared.values()) {
      const statement = await prepared;
      await new Promise<void>((resolve) => statement.finalize(() => resolve()));
    }
    this.#prepared.clear();
  }

  #wake(): void {
    if (this.#closed) throw new Error("The store is closed.");
    this.#working ??= this.#work().finally(() => {
      this.#working = undefined;
      if (this.#waiting.length > 0 || this.#tasks.length > 0) this.#wake();
    });
  }

  async #work(): Promise<void> {
    // What is given in the same turn of the event loop shares a commit.
    await new Promise((resolve) => setImmediate(resolve));
    while (this.#waiting.length > 0 || this.#tasks.length > 0) {
      const batches = this.#waiting;
      this.#waiting = [];
      if (batches.length > 0) await this.#commitAll(batches);
      const task = this.#tasks.shift();
      if (task) await task();
    }
  }

  async #commitAll(batches: Waiting[]): Promise<void> {
    try {
      const woken = await this.#transaction(batches);
      this.#wakes(woken);
      for (const batch of batches) batch.resolve();
    } catch (error) {
      if (batches.length === 1) return batches[0]?.reject(error);
      // One of them is at fault: each by itself, so that only that one fails.
      for (const batch of batches) await this.#commitAll([batch]);
    }
  }

  async #transaction(batches: Batch[]): Promise<Woken[]> {
    const records = merged(batches.flatMap((batch) => batch.records));
    const statements = new Map(
      batches.flatMap((batch) => batch.statements).map((statement) => [statement.key, statement]),
    );
    const moves: Moves = {
      rests: batches.flatMap(({ rests = [] }) => rests),
      ended: batches.flatMap(({ ended = [] }) => ended),
      comes: batches.flatMap(({ comes = [] }) => comes),
    };
    const isMoving = moves.rests.length + moves.ended.length + moves.comes.length > 0;
    if (statements.size === 0 && records.length <= mostRows && !isMoving) {
      if (records.length > 0) await this.#insert(records);
      return []; // a single statement is a transaction of its own
    }
    await this.#run("BEGIN IMMEDIATE", []);
    try {
      const { rows, others } = joined(statements.values());
      // Statements under way together are in no order, and a new row may be changed in the same commit.
      await allOf(rows.map(({ sql, values }) => this.#run(sql, values)));
      const running = others.map(({ sql, values }) => this.#run(sql, values));
      for (let at = 0; at < records.length; at += mostRows)
        running.push(this.#insert(records.slice(at, at + mostRows)));
      await allOf(running);
      const woken = isMoving ? await this.#move(moves) : [];
      await this.#run("COMMIT", []);
      return woken;
    } catch (error) {
      await this.#run("ROLLBACK", []).catch(() => undefined);
      throw error;
    }
  }

  #move(moves: Moves): Promise<Woken[]> {
    return move(async (sql, values) => this.#rows(await this.#statement(sql), values), moves);
  }

  #rows(statement: Statement, values: unknown[]): Promise<Record<string, unknown>[]> {
    return new Promise((resolve, reject) =>
      statement.all(values, (error: Error | null, rows: Record<string, unknown>[]) =>
        error ? reject(error) : resolve(rows),
      ),
    );
  }

  #wakes(woken: Woken[]): void {
    if (woken.length > 0) this.events.emit("woken", woken);
  }

  #insert(records: JournalRecord[]): Promise<void> {
    const form = records.some((record) => record.sealed || record.entriesBlob || record.sealedBlob)
      ? full
      : plain;
    return this.#run(insertOf(form, records.length), records.flatMap(form.values));
  }

  /** Runs a statement, prepared once for its text. */
  async #run(sql: string, values: unknown[]): Promise<void> {
    const statement = await this.#statement(sql);
    return new Promise((resolve, reject) =>
      statement.run(values, (error: Error | null) => (error ? reject(error) : resolve())),
    );
  }

  #statement(sql: string): Promise<Statement> {
    let prepared = this.#prepared.get(sql);
    if (!prepared) this.#prepared.set(sql, (prepared = this.#prepare(sql)));
    return prepared;
  }

  #prepare(sql: string): Promise<Statement> {
    return new Promise((resolve, reject) => {
      const statement: Statement = this.store.connection.prepare(sql, (error: Error | null) => {
        if (!error) return resolve(statement);
        this.#prepared.delete(sql);
        reject(error);
      });
    });
  }
}

/** Waits for all of them, whatever becomes of each; then throws what the first threw. */
async function allOf(running: Promise<void>[]): Promise<void> {
  const results = await Promise.allSettled(running);
  for (const result of results) if (result.status === "rejected") throw result.reason;
}

/** A form of the INSERT: most rows have nothing sealed and nothing put aside, and binding nulls costs time. */
interface InsertForm {
  columns: string;
  values: (record: JournalRecord) => unknown[];
  texts: string[];
}

const plain: InsertForm = {
  columns: "run, seq, count, at, entries",
  values: (record) => [record.run, record.seq, record.count, record.at, record.entries],
  texts: [],
};
const full: InsertForm = {
  columns: "run, seq, count, at, entries, sealed, entries_blob, sealed_blob",
  values: (record) => [...plain.values(record), record.sealed, record.entriesBlob, record.sealedBlob],
  texts: [],
};

function insertOf(form: InsertForm, rows: number): string {
  return (form.texts[rows] ??= intoSql("journal", form.columns, rows));
}

/** Open rows of one run that follow each other become one row. */
function merged(records: JournalRecord[]): JournalRecord[] {
  const result: JournalRecord[] = [];
  const lastOf = new Map<string, JournalRecord>();
  for (const record of records) {
    const last = lastOf.get(record.run);
    // Two that begin at the same number were written by two who did not know of each other: the second one fails.
    if (
      last &&
      last.entries !== null &&
      last.seq + last.count === record.seq &&
      record.entries !== null &&
      !last.sealed &&
      !record.sealed &&
      !last.sealedBlob &&
      !record.sealedBlob &&
      last.entries.length + record.entries.length < 65_536
    ) {
      last.entries = `${last.entries.slice(0, -1)},${record.entries.slice(1)}`;
      last.count += record.count;
      continue;
    }
    const copy = { ...record };
    lastOf.set(record.run, copy);
    result.push(copy);
  }
  return result;
}
