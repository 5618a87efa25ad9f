import {
  currentEntry,
  emptySummary,
  parseJson,
  summarise,
  type Entry,
  type JournalRow,
  type Json,
  type JsonObject,
  type Path,
  type RunSummary,
} from "@copper-kettle/core";
import { EventEmitter } from "node:events";
import type { Sealer } from "../sealing/keys.js";
import type { Blobs } from "./blobs.js";
import { select, type Store } from "./database.js";
import type { RunRecord } from "./models.js";
import { Outbox } from "./outbox.js";
import { RunStore } from "./runs.js";
import { StartKeys } from "./start-keys.js";
import { isLarge, isResponse, RunJournal } from "./run-journal.js";
import type { JournalRecord } from "./batches.js";
import type { Writer } from "./writer.js";

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
  /** A run was started, by hand or by another kind of trigger, or by a trigger of its file that has a name. */
  started: [run: string, workflow: string, trigger: string];
  /** A run's state changed. */
  state: [
    run: string,
    workflow: string,
    state: RunSummary["state"],
    times?: Pick<RunSummary, "startedAt" | "endedAt">,
  ];
}

/** The entries of a row, in the form of today whatever format they were written in. */
function entriesOf(text: string): Entry[] {
  return (parseJson(text) as unknown as Entry[]).map(currentEntry);
}

/** The journals of all runs. */
export class JournalStore {
  readonly events = new EventEmitter<JournalEvents>();
  readonly outbox: Outbox;
  /** The rows of the runs that have journals. */
  readonly runs: RunStore;
  readonly startKeys: StartKeys;

  constructor(
    readonly store: Store,
    readonly writer: Writer,
    readonly blobs: Blobs,
    readonly sealer: Sealer,
  ) {
    this.events.setMaxListeners(0);
    this.outbox = new Outbox(writer);
    this.runs = new RunStore(store);
    this.startKeys = new StartKeys(store);
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
    let response: number | null = null;
    for (const row of rows) {
      const open = await this.#openText(row);
      const sealed = await this.#sealedText(run, row);
      const shown = entriesOf(open);
      shown.forEach((entry, index) => {
        summarise(summary, entry);
        if (isResponse(entry)) response ??= row.seq + index;
      });
      entries.push(...(sealed === undefined ? shown : entriesOf(sealed)));
      next = row.seq + row.count;
    }
    return { entries, journal: new RunJournal(this, run, workflow, next, summary, response) };
  }

  /** Resolves when the last change of remembered values is on its way to the disk; undefined if none is waiting for that. */
  rememberedBefore: Promise<void> | undefined;

  /** Puts what a run keeps of an earlier one before its own entries; given once it is there. */
  withReused: (row: RunRecord, own: Entry[]) => Promise<Entry[]> = async (_row, own) => own;

  /** The entries of a run, with those that it keeps of the run that it repeats. */
  async loadWhole(row: RunRecord): Promise<{ entries: Entry[]; journal: RunJournal }> {
    const { entries, journal } = await this.load(row.id, row.workflow);
    return { entries: await this.withReused(row, entries), journal };
  }

  /** The entries of a run in their open form, from a number on. */
  async open(run: string, after: number, limit: number): Promise<{ entries: OpenEntry[]; more: boolean }> {
    const rows = await select<Row>(
      this.store,
      // From the row that holds the first one, to the row that holds one more than is wanted: the numbers have no gaps.
      `SELECT seq, count, entries, entries_blob, NULL AS sealed, NULL AS sealed_blob FROM journal
         WHERE run = :run AND seq <= :to
           AND seq >= coalesce((SELECT max(seq) FROM journal WHERE run = :run AND seq <= :from), 0) ORDER BY seq`,
      { run, from: after + 1, to: after + 1 + limit },
    );
    const entries: OpenEntry[] = [];
    for (const row of rows) {
      entriesOf(await this.#openText(row)).forEach((entry, index) => {
        if (row.seq + index > after)
          entries.push({ seq: row.seq + index, entry: entry as unknown as Record<string, unknown> });
      });
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
    return (await this.#response(run, true))?.response;
  }

  /** The same with the places in it that hold secrets too short to be found by their value. */
  async maskedResponse(run: string): Promise<{ response: RunResponse; masked: Path[] } | undefined> {
    return this.#response(run, true);
  }

  /** The same as people may see it. */
  async shownResponse(run: string): Promise<RunResponse | null> {
    return (await this.#response(run, false))?.response ?? null;
  }

  async #response(
    run: string,
    trueValues: boolean,
  ): Promise<{ response: RunResponse; masked: Path[] } | undefined> {
    const [known] = await select<{ response_seq: number | null }>(
      this.store,
      "SELECT response_seq FROM runs WHERE id = :run",
      { run },
    );
    const at = known?.response_seq ?? null;
    if (at === null) return undefined;
    const rows = await select<Row>(
      this.store,
      at >= 0
        ? "SELECT seq, count, entries, sealed, entries_blob, sealed_blob FROM journal WHERE run = :run AND seq <= :at ORDER BY seq DESC LIMIT 1"
        : "SELECT seq, count, entries, sealed, entries_blob, sealed_blob FROM journal WHERE run = :run ORDER BY seq",
      { run, at },
    );
    for (const row of rows) {
      const text = (trueValues ? await this.#sealedText(run, row) : undefined) ?? (await this.#openText(row));
      const found = entriesOf(text).find(isResponse);
      if (found)
        return {
          response: found.outcome as unknown as RunResponse,
          masked: (found.masked ?? []).flatMap((place) => (place[0] === "outcome" ? [place.slice(1)] : [])),
        };
    }
    return undefined;
  }

  /** The secrets that came up in a run, with their true values. */
  async secrets(run: string): Promise<string[]> {
    return (await this.#secretEntries(run)).flatMap(({ values }) => values);
  }

  /** Where secrets came up in a run, as expressions write it: of those too short to be found by their value. */
  async secretPlaces(run: string): Promise<Path[]> {
    return (await this.#secretEntries(run)).flatMap(({ places }) => places);
  }

  async #secretEntries(run: string): Promise<Extract<Entry, { type: "secrets" }>[]> {
    const rows = await select<Row>(
      this.store,
      "SELECT seq, count, entries, sealed, entries_blob, sealed_blob FROM journal WHERE run = :run AND (sealed IS NOT NULL OR sealed_blob IS NOT NULL) ORDER BY seq",
      { run },
    );
    const found: Extract<Entry, { type: "secrets" }>[] = [];
    for (const row of rows) {
      const text = await this.#sealedText(run, row);
      for (const entry of parseJson(text ?? "[]") as unknown as Entry[])
        if (entry.type === "secrets") found.push(entry);
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
