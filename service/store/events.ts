import {
  inferShape,
  maskPlaces,
  leafTexts,
  MaskSet,
  parseJson,
  printJson,
  secretPlaces,
  valueAt,
  type Json,
  type JsonObject,
} from "@copper-kettle/core";
import type { Sealer } from "../sealing/keys.js";
import { execute, select, selectList } from "./database.js";
import type { KeyedStatement } from "./statements.js";
import type { Writer } from "./writer.js";

/** What became of an event. */
export type EventState = "arrived" | "started" | "same" | "left-out" | "refused" | "skipped";

/** What a trigger brought, and what became of it. */
export interface EventRecord {
  id: string;
  workflow: string;
  trigger: string;
  kind: string;
  version: number;
  /** Milliseconds since 1970. */
  at: number;
  state: EventState;
  /** The run that it started, or that an earlier event with the same key did. */
  run: string | null;
  /** How many runs it started; `run` is the first of them, and this the last. */
  runs: number;
  lastRun: string | null;
  reason: string | null;
  /** Whether it is saved as a sample of what its trigger brings. */
  sample: number;
  /** Whether a person made it up. */
  madeUp: number;
  /** What came, as people may see it: JSON. */
  brought: string;
}

/** An event as it is noted. */
export type NewEvent = Omit<EventRecord, "brought" | "sample" | "madeUp" | "runs" | "lastRun"> & {
  brought: JsonObject;
  /** Where it started several. */
  runs?: number;
  lastRun?: string | undefined;
  madeUp?: boolean;
  /** It is there already, as `arrived`. */
  isKnown?: boolean;
};

/** Bodies of events are forgotten after so long, and the events after the longer time; both in milliseconds. */
const bodyMillis = 7 * 86_400_000;
const lineMillis = 90 * 86_400_000;
const bite = 500;

/** The trigger of what comes to a draft that has none for it yet. */
export const draftTrigger = "draft";

/** What the sealed part of an event is tied to. */
export const eventSeal = (id: string): string => `event:${id}`;

const columns =
  "id, workflow, trigger_name AS trigger, kind, version, at, state, run, runs, last_run AS lastRun, reason, sample, made_up AS madeUp, brought";

/** What triggers brought. */
export class EventStore {
  /** The shapes (JSON Schemas) of what triggers bring, by workflow and name: of those that have a sample. */
  readonly #shapes = new Map<string, JsonObject>();
  /** Goes up with every sample that is saved. */
  changes = 0;

  constructor(
    readonly writer: Writer,
    readonly sealer: Sealer,
    /** What is masked wherever it appears. */
    readonly secrets: MaskSet,
  ) {}

  /** An event as a row, for the commit of what it starts. Fields that are named like secrets lie sealed beside it. */
  row({ brought, madeUp = false, isKnown = false, ...event }: NewEvent): KeyedStatement {
    const { open, sealed } = this.#masked(brought, event.id);
    const reason = event.reason && this.#maskedReason(event.reason, brought);
    const { runs = event.state === "started" ? 1 : 0, lastRun = null } = event;
    if (isKnown)
      return {
        key: `event ${event.id}`,
        sql: "UPDATE events SET version = ?, state = ?, run = ?, runs = ?, last_run = ?, reason = ?, brought = ?, sealed = ? WHERE id = ?",
        values: [event.version, event.state, event.run, runs, lastRun, reason, open, sealed, event.id],
      };
    return {
      key: `event ${event.id}`,
      into: "events (id, workflow, trigger_name, kind, version, at, state, run, runs, last_run, reason, made_up, brought, sealed)",
      values: [
        event.id,
        event.workflow,
        event.trigger,
        event.kind,
        event.version,
        event.at,
        event.state,
        event.run,
        runs,
        lastRun,
        reason,
        madeUp ? 1 : 0,
        open,
        sealed,
      ],
    };
  }

  #masked(brought: JsonObject, id: string): { open: string; sealed: Buffer | null } {
    const whole = printJson(brought);
    const places = secretPlaces(brought as Json);
    const open = printJson(this.secrets.json(maskPlaces(brought as Json, places)));
    return { open, sealed: open === whole ? null : this.sealer.seal(whole, eventSeal(id)) };
  }

  /** Why something became of an event, without what is secret in it: messages of expressions may show values. */
  #maskedReason(reason: string, brought: JsonObject): string {
    const own = new MaskSet();
    own.add(secretPlaces(brought as Json).flatMap((place) => leafTexts(valueAt(brought, place) ?? null)));
    return own.text(this.secrets.text(reason));
  }

  /** Reads the shapes of all samples. */
  async loadSamples(): Promise<void> {
    const rows = await selectList<{ id: string }>(
      this.writer.store,
      "SELECT id FROM events WHERE sample = 1",
      {},
    );
    for (const { id } of rows) await this.#shapeOf(id);
  }

  /** The shape of what a trigger brings; undefined where no event is saved as a sample. */
  shape(workflow: string, trigger: string): JsonObject | undefined {
    return this.#shapes.get(`${workflow} ${trigger}`) ?? this.#shapes.get(`${workflow} ${draftTrigger}`);
  }

  /** All of a workflow, by trigger. */
  shapes(workflow: string): Record<string, JsonObject> {
    const begin = `${workflow} `;
    return Object.fromEntries(
      [...this.#shapes]
        .filter(([name]) => name.startsWith(begin))
        .map(([name, shape]) => [name.slice(begin.length), shape]),
    );
  }

  /** Saves an event as the sample of its trigger; the one before is an event like any other again. */
  async saveSample({ id, workflow, trigger }: EventRecord): Promise<void> {
    await this.writer.write(() =>
      execute(
        this.writer.store.connection,
        "UPDATE events SET sample = (id = ?1) WHERE workflow = ?2 AND trigger_name = ?3 AND (sample = 1 OR id = ?1)",
        [id, workflow, trigger],
      ),
    );
    await this.#shapeOf(id);
  }

  async #shapeOf(id: string): Promise<void> {
    const event = await this.find(id);
    if (!event) return;
    const { workflow, trigger, brought } = event;
    this.#shapes.set(`${workflow} ${trigger}`, inferShape([parseJson(brought)]));
    this.changes++;
  }

  /** Of the refused events of a trigger only the last ones stay. */
  async keepRefused(workflow: string, trigger: string, most: number): Promise<void> {
    const which = "workflow = ?1 AND trigger_name = ?2 AND state = 'refused'";
    await this.writer.write(() =>
      execute(
        this.writer.store.connection,
        `DELETE FROM events WHERE ${which} AND id NOT IN (SELECT id FROM events WHERE ${which} ORDER BY id DESC LIMIT ?3)`,
        [workflow, trigger, most],
      ),
    );
  }

  /** Those whose fetch is not done, the oldest first. */
  arrived(): Promise<EventRecord[]> {
    return selectList<EventRecord>(
      this.writer.store,
      `SELECT ${columns} FROM events WHERE state = 'arrived' ORDER BY id`,
      {},
    );
  }

  async find(id: string): Promise<EventRecord | undefined> {
    const [row] = await select<EventRecord>(
      this.writer.store,
      `SELECT ${columns} FROM events WHERE id = :id`,
      { id },
    );
    return row;
  }

  /** What an event really brought. */
  async brought(id: string): Promise<JsonObject> {
    const [row] = await select<{ brought: string; sealed: Buffer | null }>(
      this.writer.store,
      "SELECT brought, sealed FROM events WHERE id = :id",
      { id },
    );
    if (!row) return {};
    return parseJson(row.sealed ? this.sealer.open(row.sealed, eventSeal(id)) : row.brought) as JsonObject;
  }

  /** The newest first; `before` is the id of the last one that is known already. */
  list(which: {
    workflow: string;
    trigger?: string | undefined;
    before?: string | undefined;
    limit: number;
  }): Promise<EventRecord[]> {
    const { workflow, trigger, before, limit } = which;
    return selectList<EventRecord>(
      this.writer.store,
      `SELECT ${columns} FROM events WHERE workflow = :workflow ${trigger === undefined ? "" : "AND trigger_name = :trigger"}
        ${before === undefined ? "" : "AND id < :before"} ORDER BY id DESC LIMIT :limit`,
      { workflow, trigger, before, limit },
    );
  }

  /** The last event of each trigger of a workflow, by its name. */
  async lastOf(workflow: string): Promise<Map<string, EventRecord>> {
    const rows = await selectList<EventRecord>(
      this.writer.store,
      `SELECT ${columns} FROM events WHERE id IN (
         SELECT max(id) FROM events WHERE workflow = :workflow GROUP BY trigger_name)`,
      { workflow },
    );
    return new Map(rows.map((row) => [row.trigger, row]));
  }

  /** Forgets what is old, in bites: bodies first, whole events later. */
  async prune(now: number): Promise<void> {
    const { connection } = this.writer.store;
    const some = (sql: string, before: number): Promise<number> =>
      this.writer.write(() => execute(connection, sql, [before, bite]));
    const bodies = `UPDATE events SET brought = '{}', sealed = NULL WHERE id IN (
      SELECT id FROM events WHERE at < ? AND brought <> '{}' AND sample = 0 ORDER BY at LIMIT ?)`;
    const lines =
      "DELETE FROM events WHERE id IN (SELECT id FROM events WHERE at < ? AND sample = 0 ORDER BY at LIMIT ?)";
    while ((await some(lines, now - lineMillis)) === bite);
    while ((await some(bodies, now - bodyMillis)) === bite);
  }
}
