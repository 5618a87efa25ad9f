import type { Transaction } from "sequelize";
import type { Statement } from "sqlite3";
import { execute, type Store } from "./database.js";

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
export interface Batch {
  records: JournalRecord[];
  statements: KeyedStatement[];
}

/** One statement of a batch. Of several with one key in the same commit only the last counts; their order is free. */
export type KeyedStatement = { key: string; values: unknown[] } & (
  | { sql: string }
  /** A new row: `runs (id, state)`. Those of one kind in a commit go in as one statement. */
  | { into: string }
  /** A changed row, the value of its key last: `runs (state, id)`. Those of one kind in a commit are one statement. */
  | { change: string }
  /** Rows that go, by the value of one column: `locks (run)`. Those of one kind in a commit are one statement. */
  | { drop: string }
);

interface Waiting extends Batch {
  resolve(): void;
  reject(error: unknown): void;
}

/** Rows in one INSERT; a statement is prepared once for each number of rows up to this. */
const mostRows = 64;

/**
 * The one writer. Everything that writes goes through its queue on its connection. The hot path is a group commit
 * without a timer: what arrives while a commit is under way makes up the next one.
 */
export class Writer {
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
  write<T>(work: (transaction: Transaction) => Promise<T>): Promise<T> {
    return new Promise((resolve, reject) => {
      this.#tasks.push(async () => {
        try {
          await execute(this.store.connection, "BEGIN IMMEDIATE");
          const result = await work(this.store.writing);
          await execute(this.store.connection, "COMMIT");
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
      await this.#transaction(batches);
      for (const batch of batches) batch.resolve();
    } catch (error) {
      if (batches.length === 1) return batches[0]?.reject(error);
      // One of them is at fault: each by itself, so that only that one fails.
      for (const batch of batches) await this.#commitAll([batch]);
    }
  }

  async #transaction(batches: Batch[]): Promise<void> {
    const records = merged(batches.flatMap((batch) => batch.records));
    const statements = new Map(
      batches.flatMap((batch) => batch.statements).map((statement) => [statement.key, statement]),
    );
    if (statements.size === 0 && records.length <= mostRows) {
      if (records.length > 0) await this.#insert(records);
      return; // a single statement is a transaction of its own
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
      await this.#run("COMMIT", []);
    } catch (error) {
      await this.#run("ROLLBACK", []).catch(() => undefined);
      throw error;
    }
  }

  #insert(records: JournalRecord[]): Promise<void> {
    const form = records.some((record) => record.sealed || record.entriesBlob || record.sealedBlob)
      ? full
      : plain;
    return this.#run(insertOf(form, records.length), records.flatMap(form.values));
  }

  /** Runs a statement, prepared once for its text. */
  async #run(sql: string, values: unknown[]): Promise<void> {
    let prepared = this.#prepared.get(sql);
    if (!prepared) this.#prepared.set(sql, (prepared = this.#prepare(sql)));
    const statement = await prepared;
    return new Promise((resolve, reject) =>
      statement.run(values, (error: Error | null) => (error ? reject(error) : resolve())),
    );
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

interface Joined {
  sql: string;
  values: unknown[];
}

/** Rows of one kind, up to `mostRows` of them, become one statement: each statement is a trip to another thread. */
function joined(statements: Iterable<KeyedStatement>): { rows: Joined[]; others: Joined[] } {
  const rows: Joined[] = [];
  const others: Joined[] = [];
  const kinds = { into: new Map(), change: new Map(), drop: new Map() } as Record<
    "into" | "change" | "drop",
    Map<string, unknown[][]>
  >;
  for (const statement of statements) {
    if ("sql" in statement) others.push(statement);
    else if ("into" in statement) gather(kinds.into, statement.into, statement.values);
    else if ("change" in statement) gather(kinds.change, statement.change, statement.values);
    else gather(kinds.drop, statement.drop, statement.values);
  }
  rows.push(...parts(kinds.into, intoSql));
  others.push(...parts(kinds.change, changeSql), ...parts(kinds.drop, dropSql));
  return { rows, others };
}

function gather(kind: Map<string, unknown[][]>, what: string, values: unknown[]): void {
  const rows = kind.get(what);
  if (rows) rows.push(values);
  else kind.set(what, [values]);
}

type SqlOf = (table: string, columns: string, count: number) => string;

function parts(kind: Map<string, unknown[][]>, sqlOf: SqlOf): Joined[] {
  return [...kind].flatMap(([what, rows]) => {
    const [, table = "", columns = ""] = /^(\w+) \((.*)\)$/.exec(what) ?? [];
    const found: Joined[] = [];
    for (let at = 0; at < rows.length; at += mostRows) {
      const part = rows.slice(at, at + mostRows);
      found.push({ sql: sqlOf(table, columns, part.length), values: part.flat() });
    }
    return found;
  });
}

const marks = (columns: string, count: number): string =>
  Array.from({ length: count }, () => `(${columns.replace(/\w+/g, "?")})`).join(",");

const intoSql: SqlOf = (table, columns, count) =>
  `INSERT INTO ${table} (${columns}) VALUES ${marks(columns, count)}`;

const changeSql: SqlOf = (table, columns, count) => {
  const names = columns.split(", ");
  const key = names.pop() as string;
  const sets = names.map((name, index) => `${name} = given.column${index + 1}`).join(", ");
  return `UPDATE ${table} SET ${sets} FROM (VALUES ${marks(columns, count)}) AS given WHERE ${table}.${key} = given.column${names.length + 1}`;
};

const dropSql: SqlOf = (table, column, count) =>
  `DELETE FROM ${table} WHERE ${column} IN (${Array.from({ length: count }, () => "?").join(",")})`;

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
    if (
      last &&
      last.entries !== null &&
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
