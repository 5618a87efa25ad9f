import { hash } from "node:crypto";
import type { Mark } from "@copper-kettle/core";
import type { Sealer } from "../sealing/keys.js";
import { execute, select, selectList } from "./database.js";
import type { KeyedStatement } from "./statements.js";
import type { Writer } from "./writer.js";

/** How far a poll has come. Times are milliseconds since 1970. */
export interface PollState {
  /** Whether it has looked once: what was there then is known. */
  primed: boolean;
  mark?: Mark;
  /** What its ids and changes were made of; where that is another, the next look counts as the first. */
  by?: string;
  /** It has begun anew since: whatever the file says of its first look, what is there counts as known. */
  anew?: boolean;
  lookedAt?: number;
  /** How many items it read, and how many of them are held back since there was no room. */
  read?: number;
  heldBack?: number;
  /** So many items are gone at once that nothing was started for them; and whether a person said that it is right. */
  gone?: number;
  goneAgreed?: boolean;
  /** How long an item that is absent stays known, in milliseconds. */
  retain?: number;
  /** What the last response was known by, in the version that asked; a response that is the same need not be sent again. */
  validators?: Validators;
  /** Looks that failed in a row, and why the last one did. */
  failures?: number;
  fault?: string;
}

/** By what a response is known (RFC 9110, section 8.8). */
export interface Validators {
  version: number;
  etag?: string;
  lastModified?: string;
}

/** An item as it was when it was seen last, by the digest of its id. */
export interface Known {
  /** The digest of what makes it count. */
  changed: string | null;
  /** Sealed. */
  item: Buffer | null;
  /** Whether the last read was without it: 0 or 1. */
  absent: number;
}

/** An id that is absent from complete reads for so long is forgotten, in milliseconds. */
const absentMillis = 7 * 86_400_000;
const bite = 500;
/** So many rows are read at once: making them objects holds up everything else. */
const page = 1_000;

/** What polls have seen: an item starts a run once. */
export class SeenStore {
  constructor(
    readonly writer: Writer,
    readonly sealer: Sealer,
  ) {}

  async state(workflow: string, trigger: string): Promise<PollState> {
    const [row] = await select<{ poll: string | null }>(
      this.writer.store,
      "SELECT poll FROM triggers WHERE environment = 'live' AND workflow = :workflow AND name = :trigger",
      { workflow, trigger },
    );
    return row?.poll ? (JSON.parse(row.poll) as PollState) : { primed: false };
  }

  /**
   * Where a poll stands, and when it looks next: in one row.
   * @param knew whether the look knew that a person agreed; what was said since then stays
   */
  async setState(
    workflow: string,
    trigger: string,
    state: PollState,
    dueAt: number,
    knew = false,
  ): Promise<void> {
    await this.writer.write(() =>
      execute(
        this.writer.store.connection,
        `UPDATE triggers SET poll = CASE WHEN ?5 = 0 AND json_extract(poll, '$.goneAgreed')
            THEN json_set(?1, '$.goneAgreed', json('true')) ELSE ?1 END, beat = ?2, due_at = CASE is_on WHEN 1 THEN ?2 END
          WHERE workflow = ?3 AND name = ?4 AND gone_at IS NULL`,
        [JSON.stringify(state), dueAt, workflow, trigger, knew ? 1 : 0],
      ),
    );
  }

  /** All that a poll knows, by the digest of an id: what made it count, and what it was. */
  async known(workflow: string, trigger: string): Promise<Map<string, Known>> {
    const known = new Map<string, Known>();
    let after: Buffer = Buffer.alloc(0);
    for (;;) {
      const rows = await selectList<Known & { digest: Buffer }>(
        this.writer.store,
        `SELECT digest, changed, item, absent_since IS NOT NULL AS absent FROM seen WHERE environment = 'live' AND workflow = :workflow
          AND trigger_name = :trigger AND digest > :after ORDER BY digest LIMIT ${page}`,
        { workflow, trigger, after },
      );
      for (const { digest, changed, item, absent } of rows)
        known.set(digest.toString("hex"), { changed, item, absent });
      const last = rows.at(-1);
      if (!last || rows.length < page) return known;
      after = last.digest;
    }
  }

  /** What an item was before it changed; undefined where that is not stored. */
  before(id: string, { item }: Known): string | undefined {
    return item === null ? undefined : this.sealer.open(item, seenSeal(id));
  }

  /** An item is known from now on, as it is now: for the commit of the run that it starts. Its id and change are digests. */
  row(
    workflow: string,
    trigger: string,
    { id, changed, item }: { id: string; changed: string | null; item: string | null },
  ): KeyedStatement {
    return {
      key: `seen ${workflow} ${trigger} ${id}`,
      sql: `INSERT INTO seen (workflow, trigger_name, digest, id, changed, item) VALUES (?, ?, ?, '', ?, ?)
        ON CONFLICT DO UPDATE SET changed = excluded.changed, item = excluded.item, absent_since = NULL`,
      values: [
        workflow,
        trigger,
        Buffer.from(id, "hex"),
        changed,
        item === null ? null : this.sealer.seal(item, seenSeal(id)),
      ],
    };
  }

  /** An item is known no more: for the commit of the run that its going starts. */
  goneRow(workflow: string, trigger: string, id: string): KeyedStatement {
    return {
      key: `seen ${workflow} ${trigger} ${id}`,
      sql: "DELETE FROM seen WHERE environment = 'live' AND workflow = ? AND trigger_name = ? AND digest = ?",
      values: [workflow, trigger, Buffer.from(id, "hex")],
    };
  }

  /** A person says that what is gone is gone: the next look starts what that starts. */
  async agree(workflow: string, trigger: string): Promise<void> {
    await this.writer.write(() =>
      execute(
        this.writer.store.connection,
        `UPDATE triggers SET poll = json_set(poll, '$.goneAgreed', json('true'))
          WHERE workflow = ? AND name = ? AND gone_at IS NULL AND poll IS NOT NULL`,
        [workflow, trigger],
      ),
    );
  }

  /** Notes which ids the last read was without, and which are there again; in bites. */
  async noteAbsent(
    workflow: string,
    trigger: string,
    { gone, back }: { gone: readonly string[]; back: readonly string[] },
    now: number,
  ): Promise<void> {
    const { connection } = this.writer.store;
    for (const [ids, since] of [
      [gone, now],
      [back, null],
    ] as const)
      for (let at = 0; at < ids.length; at += bite) {
        const digests = ids.slice(at, at + bite);
        await this.writer.write(() =>
          execute(
            connection,
            `UPDATE seen SET absent_since = ? WHERE environment = 'live' AND workflow = ? AND trigger_name = ?
              AND digest IN (SELECT unhex(value) FROM json_each(?))`,
            [since, workflow, trigger, JSON.stringify(digests)],
          ),
        );
      }
  }

  /** Forgets what is absent for long, and what belongs to triggers that are no more; in bites. */
  async prune(now: number): Promise<void> {
    const { connection } = this.writer.store;
    const keys = "(environment, workflow, trigger_name, digest)";
    const columns = "environment, workflow, trigger_name, digest";
    const old = `DELETE FROM seen WHERE ${keys} IN (SELECT ${columns} FROM seen WHERE absent_since < ? - coalesce(
      (SELECT json_extract(poll, '$.retain') FROM triggers WHERE triggers.environment = seen.environment
        AND triggers.workflow = seen.workflow AND triggers.name = seen.trigger_name), ${absentMillis}) LIMIT ${bite})`;
    const orphans = `DELETE FROM seen WHERE ${keys} IN (SELECT ${columns} FROM seen WHERE NOT EXISTS (
      SELECT 1 FROM triggers WHERE triggers.workflow = seen.workflow AND triggers.name = seen.trigger_name) LIMIT ${bite})`;
    const some = (sql: string, values: unknown[]): Promise<number> =>
      this.writer.write(() => execute(connection, sql, values));
    while ((await some(old, [now])) === bite);
    while ((await some(orphans, [])) === bite);
  }

  /** Forgets the items that a poll knows: its ids are made of something else now. */
  clear(workflow: string, trigger: string): Promise<number> {
    return this.writer.write(() =>
      execute(this.writer.store.connection, "DELETE FROM seen WHERE workflow = ? AND trigger_name = ?", [
        workflow,
        trigger,
      ]),
    );
  }

  /** Forgets all that a poll knows, and lets it look at once. Returns how many items it knew. */
  forget(workflow: string, trigger: string, now: number): Promise<number> {
    const { connection } = this.writer.store;
    return this.writer.write(async () => {
      const which = [workflow, trigger];
      const state =
        "UPDATE triggers SET poll = NULL, beat = ?3, due_at = CASE is_on WHEN 1 THEN ?3 END WHERE workflow = ?1 AND name = ?2 AND gone_at IS NULL";
      await execute(connection, state, [...which, now]);
      return execute(connection, "DELETE FROM seen WHERE workflow = ? AND trigger_name = ?", which);
    });
  }
}

/** By what an id is known: 16 bytes of its digest, as hex. */
export const seenKey = (id: string): string => digestOf(id).slice(0, 32);

/** SHA-256 of a text, as hex: in one call, which is several times as quick as a hash that is fed. */
export const digestOf = (text: string): string => hash("sha256", text, "hex");

/** What the sealed item is tied to. */
export const seenSeal = (id: string): string => `seen:${id}`;
