import { intoSql, joined, mostRows, type Joined, type KeyedStatement } from "./statements.js";
import type { Moves } from "./waits.js";

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
  /** Whose batches follow each other: after one that fails, no later one of the same owner is written. */
  owner?: object;
  records: JournalRecord[];
  statements: KeyedStatement[];
}

/** What several batches change, as few statements as can be. */
export interface Gathered {
  /** New rows first: another statement may change one of them. */
  rows: Joined[];
  others: Joined[];
  inserts: Joined[];
  moves: Moves | undefined;
}

export function gathered(batches: readonly Batch[]): Gathered {
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
  const inserts: Joined[] = [];
  for (let at = 0; at < records.length; at += mostRows)
    inserts.push(insertOf(records.slice(at, at + mostRows)));
  return { ...joined(statements.values()), inserts, moves: isMoving ? moves : undefined };
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

function insertOf(records: JournalRecord[]): Joined {
  const form = records.some((record) => record.sealed || record.entriesBlob || record.sealedBlob)
    ? full
    : plain;
  const sql = (form.texts[records.length] ??= intoSql("journal", form.columns, records.length));
  return { sql, values: records.flatMap(form.values) };
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
