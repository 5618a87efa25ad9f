import {
  parseJson,
  printJson,
  summarise,
  type Entry,
  type Journal,
  type JournalRow,
  type Json,
  type RowChange,
  type RunSummary,
} from "@copper-kettle/core";
import type { JournalStore } from "./journal.js";
import { rememberedStatement } from "./remembered.js";
import type { Transaction } from "sequelize";
import type { JournalRecord } from "./batches.js";
import type { KeyedStatement } from "./statements.js";
import type { Moves } from "./waits.js";
import type { Unit } from "./writer.js";

/** Texts longer than this many characters go to a file beside the database. */
const longestInDatabase = 65_536;

/** So many waits of a run are shown in lists. */
const mostShownWaits = 20;

export function isLarge(part: string | Buffer | null): boolean {
  return part !== null && part.length > longestInDatabase;
}

/** Whether an entry is the end of the step that gave the run's response. */
export function isResponse(entry: Entry): entry is Extract<Entry, { type: "ended" }> {
  return entry.type === "ended" && entry.kind === "respond" && entry.outcome !== undefined;
}

/** Resolves when both are over: the run's own before it, which must have been given, and whatever another run gives. */
function bothOf(
  own: Promise<void> | undefined,
  others: Promise<void> | undefined,
): Promise<void> | undefined {
  if (!others) return own;
  const over = others.catch(() => undefined);
  return own ? Promise.all([own, over]).then(() => undefined) : over;
}

/** An entry as people may see it. */
function openEntry(row: JournalRow): Entry {
  return row.sealed === undefined ? row.entry : (parseJson(row.open) as unknown as Entry);
}

/**
 * The journal of one run, open for writing, with the copy that lists show. After a write that failed it takes no more:
 * whoever goes on loads it again.
 */
export class RunJournal implements Journal {
  /** Resolves when all that came before is on its way; keeps the order where a large text takes longer. */
  #before: Promise<void> | undefined;
  /** Resolves when the last unit of work, and all that was given behind it, is over. */
  #acting: Promise<void> | undefined;

  constructor(
    readonly journals: JournalStore,
    readonly run: string,
    readonly workflow: string,
    public next: number,
    readonly summary: RunSummary,
    /** The number of the entry that holds the response to the starter. */
    public response: number | null = null,
  ) {}

  write(rows: JournalRow[], also: readonly KeyedStatement[] = []): Promise<void> {
    return this.#acting ? this.#behind(() => this.#write(rows, also)) : this.#write(rows, also);
  }

  /**
   * Does work in a transaction, whose entries say what it found there: both become durable, or neither. Work that throws
   * is undone, and its entries say that. What is written meanwhile comes behind it.
   * @param work takes the transaction into every statement of a model; what it reads is so when it commits
   * @param rowsOf the rows that say what the work gave or threw
   * @returns what the work gave or threw, once it is durable
   */
  act<T>(
    work: (transaction: Transaction, unit: Unit) => Promise<T>,
    rowsOf: (result: PromiseSettledResult<T>) => JournalRow[],
  ): Promise<T> {
    return this.#behind(async () => {
      await this.#before;
      let told = (): void => undefined;
      const result = await this.journals.writer.act(this, work, async (found) => {
        const { record, tell, ...batch } = this.#taken(rowsOf(found), []);
        told = tell;
        const isLong = isLarge(record.entries) || isLarge(record.sealed);
        return { records: [isLong ? await this.journals.putAside(record) : record], ...batch };
      });
      told();
      if (result.status === "rejected") throw result.reason;
      return result.value;
    });
  }

  /** Does something once all before it is durable; what is given meanwhile waits in line. */
  #behind<T>(work: () => Promise<T>): Promise<T> {
    const done = (this.#acting ?? Promise.resolve()).then(work);
    const over = done.then(
      () => undefined,
      () => undefined,
    );
    this.#acting = over;
    void over.then(() => {
      if (this.#acting === over) this.#acting = undefined;
    });
    return done;
  }

  async #write(rows: JournalRow[], also: readonly KeyedStatement[]): Promise<void> {
    const { record, tell, ...batch } = this.#taken(rows, also);
    const { writer } = this.journals;
    // What is remembered is written as a value, so that it must become durable in the order in which it was changed, whoever
    // has to wait for a large text meanwhile.
    const keeps = rows.some(({ change }) => change?.remembered);
    const before = keeps ? bothOf(this.#before, this.journals.rememberedBefore) : this.#before;
    let committed: Promise<void> | undefined;
    if (!before && !isLarge(record.entries) && !isLarge(record.sealed))
      committed = writer.commit({ owner: this, records: [record], ...batch });
    else {
      const given = Promise.all([this.journals.putAside(record), before]).then(([ready]) => {
        committed = writer.commit({ owner: this, records: [ready], ...batch });
      });
      this.#before = given;
      if (keeps) this.journals.rememberedBefore = given;
      await given.finally(() => {
        if (this.#before === given) this.#before = undefined;
        if (this.journals.rememberedBefore === given) this.journals.rememberedBefore = undefined;
      });
    }
    await committed;
    tell();
  }

  /** The first rows of several runs, in one commit: all of them become durable, or none does. */
  static async writeTogether(
    journals: JournalStore,
    first: readonly { journal: RunJournal; rows: JournalRow[]; also: readonly KeyedStatement[] }[],
    more: readonly KeyedStatement[] = [],
  ): Promise<void> {
    const taken = first.map(({ journal, rows, also }) => journal.#taken(rows, also));
    const records = await Promise.all(
      taken.map(({ record }) =>
        isLarge(record.entries) || isLarge(record.sealed) ? journals.putAside(record) : record,
      ),
    );
    await journals.writer.commit({
      records,
      statements: [...taken.flatMap(({ statements }) => statements), ...more],
      ended: taken.flatMap(({ ended }) => ended),
    });
    for (const { tell } of taken) tell();
  }

  /** Takes rows into the summary; gives what has to be written for them, and what to do once that is durable. */
  #taken(
    rows: JournalRow[],
    also: readonly KeyedStatement[],
  ): Moves & {
    record: JournalRecord;
    statements: KeyedStatement[];
    tell: () => void;
  } {
    const seq = this.next;
    this.next += rows.length;
    const was = this.summary.state;
    const waited = this.summary.waits.length > 0;
    const answered = this.response;
    rows.forEach((row, index) => {
      summarise(this.summary, openEntry(row));
      if (isResponse(row.entry)) this.response ??= seq + index;
    });
    // Later rows may have been taken in before these are durable.
    const { state, startedAt, endedAt } = this.summary;
    const now = { state, startedAt, endedAt };
    const statements = [...also];
    for (const { change, entry } of rows) if (change) statements.push(...this.#changes(change, entry.at));
    const { waits } = this.summary;
    if (
      this.summary.state !== was ||
      this.response !== answered ||
      rows.some((row) => row.entry.type === "finished" || row.entry.type === "rested")
    )
      statements.push(this.#copy());
    if (this.summary.state !== was) {
      const at = rows.at(-1)?.entry.at ?? 0;
      const report = this.journals.outbox.row(this.run, this.workflow, this.summary.state, at);
      if (report) statements.push(report);
    }
    return {
      record: this.journals.record(this.run, seq, rows),
      statements,
      ended: rows.some(({ entry }) => entry.type === "finished") ? [this.run] : [],
      rests: waited || waits.length > 0 ? [{ run: this.run, waits }] : [],
      comes: rows.flatMap(({ change }) =>
        change?.lock && !change.lock.held ? [{ kind: "lock" as const, name: change.lock.name }] : [],
      ),
      tell: () => {
        try {
          this.#tell(seq, rows, was, now);
        } catch (error) {
          // It is durable: whoever listens and fails is at fault, and not this write.
          void Promise.reject(error as Error);
        }
      },
    };
  }

  /** What becomes durable with a row, or not at all. */
  #changes({ remembered, lock }: RowChange, at: number): KeyedStatement[] {
    const statements: KeyedStatement[] = [];
    if (remembered)
      statements.push(rememberedStatement(this.workflow, remembered, { at, sealer: this.journals.sealer }));
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

  #tell(
    seq: number,
    rows: JournalRow[],
    was: RunSummary["state"],
    now: Pick<RunSummary, "state" | "startedAt" | "endedAt">,
  ): void {
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
    if (now.state !== was) events.emit("state", this.run, this.workflow, now.state, now);
  }

  /** Brings the copy in `runs` up to what the entries say, in the same commit. */
  #copy(): KeyedStatement {
    const { state, startedAt, endedAt, wakeAt, waits, calls, problems, error, message, unsure } =
      this.summary;
    return {
      key: `run ${this.run}`,
      change:
        "runs (state, started_at, ended_at, wake_at, waits, calls, problems, error, message, unsure, response_seq, id)",
      values: [
        state,
        startedAt,
        endedAt,
        wakeAt,
        printJson(waits.slice(0, mostShownWaits) as unknown as Json),
        calls,
        problems,
        error === null ? null : printJson(error),
        message,
        printJson(unsure),
        this.response,
        this.run,
      ],
    };
  }
}
