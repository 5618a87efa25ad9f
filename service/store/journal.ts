import {
  emptySummary,
  parseJson,
  printJson,
  summarise,
  type Entry,
  type Journal,
  type JournalRow,
  type Json,
  type JsonObject,
  type RowChange,
  type RunSummary,
} from "@copper-kettle/core";
import { EventEmitter } from "node:events";
import type { Sealer } from "../sealing/keys.js";
import type { Blobs } from "./blobs.js";
import { select, type Store } from "./database.js";
import { keptStatement } from "./kept.js";
import type { RunRecord } from "./models.js";
import type { JournalRecord, KeyedStatement, Writer } from "./writer.js";

/** Texts longer than this many characters go to a file beside the database. */
const longestInDatabase = 65_536;

/** An entry in its open form with its number in the run, as people see it. */
export interface OpenEntry {
  seq: number;
  entry: Record<string, unknown>;
}

/** What a run gave to its starter. */
export interface RunResponse {
  status: number;
  headers: JsonObject;
  body: Json;
}

interface Row {
  seq: number;
  count: number;
  entries: string | null;
  sealed: Buffer | null;
  entries_blob: string | null;
  sealed_blob: string | null;
}

export interface JournalEvents {
  /** Entries that just became durable. */
  entries: [run: string, entries: OpenEntry[]];
  /** A run's state changed. */
  state: [run: string, workflow: string, state: RunSummary["state"]];
}

/** The journals of all runs. */
export class JournalStore {
  readonly events = new EventEmitter<JournalEvents>();

  constructor(
    readonly store: Store,
    readonly writer: Writer,
    readonly blobs: Blobs,
    readonly sealer: Sealer,
  ) {
    this.events.setMaxListeners(0);
  }

  /** The entries of a run with their true values, and where its journal stands. */
  async load(run: string, workflow: string): Promise<{ entries: Entry[]; journal: RunJournal }> {
    const rows = await select<Row>(
      this.store,
      "SELECT seq, count, entries, sealed, entries_blob, sealed_blob FROM journal WHERE run = :run ORDER BY seq",
      { run },
    );
    const entries: Entry[] = [];
    let next = 0;
    const summary = emptySummary();
    for (const row of rows) {
      const open = await this.#openText(row);
      const sealed = await this.#sealedText(run, row);
      const shown = parseJson(open) as unknown as Entry[];
      for (const entry of shown) summarise(summary, entry);
      entries.push(...(sealed === undefined ? shown : (parseJson(sealed) as unknown as Entry[])));
      next = row.seq + row.count;
    }
    return { entries, journal: new RunJournal(this, run, workflow, next, summary) };
  }

  /** Puts what a run keeps of an earlier one before its own entries; given once it is there. */
  withKept: (row: RunRecord, own: Entry[]) => Promise<Entry[]> = async (_row, own) => own;

  /** The entries of a run, with those that it keeps of the run that it repeats. */
  async loadWhole(row: RunRecord): Promise<{ entries: Entry[]; journal: RunJournal }> {
    const { entries, journal } = await this.load(row.id, row.workflow);
    return { entries: await this.withKept(row, entries), journal };
  }

  /** The entries of a run in their open form, from a number on. */
  async open(run: string, after: number, limit: number): Promise<{ entries: OpenEntry[]; more: boolean }> {
    const rows = await select<Row>(
      this.store,
      "SELECT seq, count, entries, entries_blob, NULL AS sealed, NULL AS sealed_blob FROM journal WHERE run = :run AND seq + count > :from ORDER BY seq LIMIT :limit",
      { run, from: after + 1, limit: limit + 1 },
    );
    const entries: OpenEntry[] = [];
    for (const row of rows) {
      (parseJson(await this.#openText(row)) as unknown as Record<string, unknown>[]).forEach(
        (entry, index) => {
          if (row.seq + index > after) entries.push({ seq: row.seq + index, entry });
        },
      );
    }
    return { entries: entries.slice(0, limit), more: entries.length > limit };
  }

  /** The number of the last entry; -1 while there is none. */
  async last(run: string): Promise<number> {
    const [row] = await select<{ last: number | null }>(
      this.store,
      "SELECT max(seq + count) - 1 AS last FROM journal WHERE run = :run",
      { run },
    );
    return row?.last ?? -1;
  }

  /** The response that a run gave to its starter, with its true values. */
  async response(run: string): Promise<RunResponse | undefined> {
    return (await this.#responses(run, true)).at(0);
  }

  /** The same as people may see it. */
  async shownResponse(run: string): Promise<RunResponse | null> {
    return (await this.#responses(run, false)).at(0) ?? null;
  }

  async #responses(run: string, trueValues: boolean): Promise<RunResponse[]> {
    const rows = await select<Row>(
      this.store,
      'SELECT seq, count, entries, sealed, entries_blob, sealed_blob FROM journal WHERE run = :run AND (entries IS NULL OR entries LIKE \'%"kind":"respond"%\') ORDER BY seq',
      { run },
    );
    const found: RunResponse[] = [];
    for (const row of rows) {
      const text = (trueValues ? await this.#sealedText(run, row) : undefined) ?? (await this.#openText(row));
      for (const entry of parseJson(text) as unknown as Entry[]) {
        if (entry.type === "ended" && entry.kind === "respond" && entry.outcome)
          found.push(entry.outcome as unknown as RunResponse);
      }
    }
    return found;
  }

  /** The secrets that came up in a run, with their true values. */
  async secrets(run: string): Promise<string[]> {
    const rows = await select<Row>(
      this.store,
      "SELECT seq, count, entries, sealed, entries_blob, sealed_blob FROM journal WHERE run = :run AND (sealed IS NOT NULL OR sealed_blob IS NOT NULL) ORDER BY seq",
      { run },
    );
    const found: string[] = [];
    for (const row of rows) {
      const text = await this.#sealedText(run, row);
      for (const entry of parseJson(text ?? "[]") as unknown as Entry[])
        if (entry.type === "secrets") found.push(...entry.values);
    }
    return found;
  }

  async #openText(row: Row): Promise<string> {
    return row.entries_blob ? (await this.blobs.read(row.entries_blob)).toString() : (row.entries as string);
  }

  async #sealedText(run: string, row: Row): Promise<string | undefined> {
    const sealed = row.sealed_blob ? await this.blobs.read(row.sealed_blob) : row.sealed;
    return sealed ? this.sealer.open(sealed, `journal:${run}:${row.seq}`) : undefined;
  }

  /** One commit's row. */
  record(run: string, seq: number, rows: JournalRow[]): JournalRecord {
    const entries = `[${rows.map((row) => row.open).join(",")}]`;
    const differs = rows.some((row) => row.sealed !== undefined);
    const sealed = differs
      ? this.sealer.seal(`[${rows.map((row) => row.sealed ?? row.open).join(",")}]`, `journal:${run}:${seq}`)
      : null;
    const at = rows[rows.length - 1]?.entry.at ?? 0;
    return { run, seq, count: rows.length, at, entries, sealed, entriesBlob: null, sealedBlob: null };
  }

  /** Puts a row's large texts aside, durably. */
  async putAside(record: JournalRecord): Promise<JournalRecord> {
    const aside = { ...record };
    if (isLarge(aside.entries)) {
      aside.entriesBlob = await this.blobs.keep(Buffer.from(aside.entries as string));
      aside.entries = null;
    }
    if (isLarge(aside.sealed)) {
      aside.sealedBlob = await this.blobs.keep(aside.sealed as Buffer);
      aside.sealed = null;
    }
    return aside;
  }
}

function isLarge(part: string | Buffer | null): boolean {
  return part !== null && part.length > longestInDatabase;
}

/** An entry as people may see it. */
function openEntry(row: JournalRow): Entry {
  return row.sealed === undefined ? row.entry : (parseJson(row.open) as unknown as Entry);
}

/** The journal of one run, open for writing, with the copy that lists show. */
export class RunJournal implements Journal {
  /** Resolves when all that came before is on its way; keeps the order where a large text takes longer. */
  #before: Promise<void> | undefined;

  constructor(
    readonly journals: JournalStore,
    readonly run: string,
    readonly workflow: string,
    public next: number,
    readonly summary: RunSummary,
  ) {}

  async write(rows: JournalRow[], first?: KeyedStatement): Promise<void> {
    const seq = this.next;
    this.next += rows.length;
    const was = this.summary.state;
    for (const row of rows) summarise(this.summary, openEntry(row));
    const statements = first ? [first] : [];
    for (const { change, entry } of rows) if (change) statements.push(...this.#changes(change, entry.at));
    if (rows.some((row) => row.entry.type === "finished"))
      statements.push({
        key: `locks of ${this.run}`,
        drop: "locks (run)",
        values: [this.run],
      });
    if (
      this.summary.state !== was ||
      rows.some((row) => row.entry.type === "finished" || row.entry.type === "rested")
    )
      statements.push(this.#copy());
    const record = this.journals.record(this.run, seq, rows);
    const { writer } = this.journals;
    const before = this.#before;
    let committed: Promise<void> | undefined;
    if (!before && !isLarge(record.entries) && !isLarge(record.sealed))
      committed = writer.commit({ records: [record], statements });
    else {
      const given = Promise.all([this.journals.putAside(record), before]).then(([ready]) => {
        committed = writer.commit({ records: [ready], statements });
      });
      this.#before = given;
      await given.finally(() => {
        if (this.#before === given) this.#before = undefined;
      });
    }
    await committed;
    this.#tell(seq, rows, was);
  }

  /** What becomes durable with a row, or not at all. */
  #changes({ kept, lock }: RowChange, at: number): KeyedStatement[] {
    const statements: KeyedStatement[] = [];
    if (kept) statements.push(keptStatement(this.workflow, kept, at));
    if (lock?.held)
      statements.push({
        key: `lock ${lock.name}`,
        sql: "INSERT OR REPLACE INTO locks (name, run, path, at) VALUES (?, ?, ?, ?)",
        values: [lock.name, this.run, lock.path, at],
      });
    else if (lock)
      statements.push({
        key: `lock ${lock.name}`,
        sql: "DELETE FROM locks WHERE name = ? AND run = ?",
        values: [lock.name, this.run],
      });
    return statements;
  }

  #tell(seq: number, rows: JournalRow[], was: RunSummary["state"]): void {
    const { events } = this.journals;
    if (events.listenerCount("entries") > 0) {
      events.emit(
        "entries",
        this.run,
        rows.map((row, index) => ({
          seq: seq + index,
          entry: openEntry(row) as unknown as Record<string, unknown>,
        })),
      );
    }
    if (this.summary.state !== was) events.emit("state", this.run, this.workflow, this.summary.state);
  }

  /** Brings the copy in `runs` up to what the entries say, in the same commit. */
  #copy(): KeyedStatement {
    const { state, startedAt, endedAt, wakeAt, waitsFor, calls, problems, error, message, unsure } =
      this.summary;
    return {
      key: `run ${this.run}`,
      change:
        "runs (state, started_at, ended_at, wake_at, waits_for, calls, problems, error, message, unsure, id)",
      values: [
        state,
        startedAt,
        endedAt,
        wakeAt,
        waitsFor,
        calls,
        problems,
        error === null ? null : printJson(error),
        message,
        printJson(unsure),
        this.run,
      ],
    };
  }
}
