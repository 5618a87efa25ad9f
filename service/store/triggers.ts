import { execute, select, selectList, selectOn } from "./database.js";
import { DraftAddresses } from "./draft-addresses.js";
import { live } from "./start-keys.js";
import type { KeyedStatement } from "./statements.js";
import type { Writer } from "./writer.js";

/** A trigger of a published version, with its state. Times are milliseconds since 1970. */
export interface TriggerRecord {
  workflow: string;
  name: string;
  kind: string;
  /** The version that is in force. */
  version: number;
  isOn: number;
  /** Of a webhook: the last part of its address. */
  path: string | null;
  /** The digest of what is unguessable in its address. */
  secret: Buffer | null;
  /** What the address was before, and until when that holds. */
  olderSecret: Buffer | null;
  olderUntil: number | null;
  /** Of a schedule: the next time, and when it is carried out. */
  beat: number | null;
  dueAt: number | null;
  /** When it was taken out of the file. */
  goneAt: number | null;
  /** The name under which its keys count, where it is another: one that it had before. */
  keyedAs: string | null;
}

/** A trigger as the file of a version has it. */
export interface Wanted {
  name: string;
  kind: string;
  /** The name whose state it takes over. */
  was: string | undefined;
  path: string | null;
  beat: number | null;
  dueAt: number | null;
  /** The longest time without a success, in milliseconds. */
  expectWithin?: number | undefined;
}

const columns = `workflow, name, kind, version, is_on AS isOn, path, secret, older_secret AS olderSecret,
  older_until AS olderUntil, beat, due_at AS dueAt, gone_at AS goneAt, keyed_as AS keyedAs`;

/** Leaves out those that are being carried out, by `activeName`. */
const notAmong = "workflow || ' ' || name NOT IN (SELECT value FROM json_each(:active))";
export const activeName = ({ workflow, name }: Pick<TriggerRecord, "workflow" | "name">): string =>
  `${workflow} ${name}`;

/** The path of a webhook belongs to another workflow. */
export class PathTaken extends Error {
  override name = "PathTaken";
  constructor(
    readonly path: string,
    readonly workflow: string,
  ) {
    super(`The path "${path}" belongs to a webhook of ${workflow}. Use another path.`);
  }
}

/** Triggers that were taken out of their file keep their state for so long, in milliseconds. */
const goneMillis = 30 * 86_400_000;

/** The triggers of published versions. */
export class TriggerStore {
  /** Where drafts take deliveries while somebody builds them. */
  readonly drafts: DraftAddresses;

  constructor(readonly writer: Writer) {
    this.drafts = new DraftAddresses(writer);
  }

  /** All that are in force, by workflow and name. */
  list(workflow?: string): Promise<TriggerRecord[]> {
    return selectList<TriggerRecord>(
      this.writer.store,
      `SELECT ${columns} FROM triggers WHERE gone_at IS NULL ${workflow === undefined ? "" : "AND workflow = :workflow"}
       ORDER BY workflow, name`,
      { workflow },
    );
  }

  /** Those that senders deliver to and that are on, by workflow and name. */
  webhooks(): Promise<TriggerRecord[]> {
    return selectList<TriggerRecord>(
      this.writer.store,
      `SELECT ${columns} FROM triggers WHERE path IS NOT NULL AND is_on = 1 ORDER BY workflow, name`,
      {},
    );
  }

  async find(workflow: string, name: string): Promise<TriggerRecord | undefined> {
    const [row] = await select<TriggerRecord>(
      this.writer.store,
      `SELECT ${columns} FROM triggers WHERE environment = 'live' AND workflow = :workflow AND name = :name
        AND gone_at IS NULL`,
      { workflow, name },
    );
    return row;
  }

  /** Forgets the keys under which a trigger started runs: what comes again starts another. Returns how many they were. */
  forgetKeys(workflow: string, name: string): Promise<number> {
    return this.writer.write(() =>
      execute(
        this.writer.store.connection,
        `DELETE FROM start_keys WHERE run IN (
           SELECT id FROM runs WHERE workflow = ? AND "trigger" ->> 'name' = ? AND version > 0)`,
        [workflow, name],
      ),
    );
  }

  async byPath(path: string): Promise<TriggerRecord | undefined> {
    const [row] = await select<TriggerRecord>(
      this.writer.store,
      `SELECT ${columns} FROM triggers WHERE environment = 'live' AND path = :path`,
      { path },
    );
    return row;
  }

  /** Schedules and polls whose time has come, the first ones first; without those that are being carried out. */
  due(now: number, limit: number, active: readonly string[] = []): Promise<TriggerRecord[]> {
    return select<TriggerRecord>(
      this.writer.store,
      `SELECT ${columns} FROM triggers WHERE due_at <= :now AND ${notAmong} ORDER BY due_at LIMIT :limit`,
      { now, limit, active: JSON.stringify(active) },
    );
  }

  async nextDue(active: readonly string[] = []): Promise<number | undefined> {
    const [row] = await select<{ at: number | null }>(
      this.writer.store,
      `SELECT min(due_at) AS at FROM triggers WHERE due_at IS NOT NULL AND ${notAmong}`,
      { active: JSON.stringify(active) },
    );
    return row?.at ?? undefined;
  }

  /**
   * Brings the triggers of a workflow to what a version says, in the transaction that publishes it. What a trigger knew
   * stays: whether it is on, its address, a time that has come and was not carried out yet, and, under another name, all of
   * that by `was`.
   * @throws PathTaken
   */
  async arm(workflow: string, version: number, wanted: readonly Wanted[], now: number): Promise<void> {
    const { connection } = this.writer.store;
    const run = (sql: string, values: unknown[]): Promise<number> => execute(connection, sql, values);
    const names = JSON.stringify(wanted.map(({ name }) => name));
    for (const { name, was } of wanted)
      if (was !== undefined) {
        await run(
          `UPDATE OR IGNORE triggers SET name = ?, keyed_as = coalesce(keyed_as, name) WHERE workflow = ? AND name = ?
            AND name NOT IN (SELECT value FROM json_each(?))`,
          [name, workflow, was, names],
        );
        for (const table of ["seen", "looks"])
          await run(
            `UPDATE OR IGNORE ${table} SET trigger_name = ? WHERE workflow = ? AND trigger_name = ?`,
            [name, workflow, was],
          );
      }
    await run(
      `UPDATE triggers SET gone_at = coalesce(gone_at, ?), path = NULL, due_at = NULL
        WHERE workflow = ? AND name NOT IN (SELECT value FROM json_each(?))`,
      [now, workflow, names],
    );
    // Paths that two of the same file exchange are free for a moment.
    await run("UPDATE triggers SET path = NULL WHERE workflow = ?", [workflow]);
    for (const { name, kind, path, beat, dueAt, expectWithin } of wanted) {
      if (path !== null) await this.#requireFree(path, workflow);
      await run(
        `INSERT INTO triggers (workflow, name, kind, version, path, beat, due_at, changed_at, expect_within, keyed_as)
          VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9,
            CASE WHEN EXISTS (SELECT 1 FROM triggers WHERE workflow = ?1 AND keyed_as = ?2) THEN ?2 || ' ' || ?8 END)
          ON CONFLICT (environment, workflow, name) DO UPDATE SET kind = excluded.kind, version = excluded.version,
            path = excluded.path,
            beat = CASE WHEN beat <= excluded.changed_at AND due_at IS NOT NULL AND excluded.beat IS NOT NULL
              THEN beat ELSE excluded.beat END,
            due_at = CASE WHEN is_on = 0 OR excluded.beat IS NULL THEN NULL
              WHEN beat <= excluded.changed_at AND due_at IS NOT NULL THEN due_at ELSE excluded.due_at END, gone_at = NULL, changed_at = excluded.changed_at,
            expect_within = excluded.expect_within`,
        [workflow, name, kind, version, path, beat, dueAt, now, expectWithin ?? null],
      );
    }
  }

  async #requireFree(path: string, workflow: string): Promise<void> {
    // On the writer's connection: another that is published in the same transaction is seen.
    const [other] = await selectOn<{ workflow: string }>(
      this.writer.store.connection,
      "SELECT workflow FROM triggers WHERE environment = 'live' AND path = ? AND workflow <> ?",
      [path, workflow],
    );
    if (other) throw new PathTaken(path, other.workflow);
  }

  /** Switches a trigger on or off; a schedule that is on again begins with its next time. */
  async setOn(
    workflow: string,
    name: string,
    on: boolean,
    next: Pick<Wanted, "beat" | "dueAt">,
  ): Promise<void> {
    await this.writer.write(() =>
      execute(
        this.writer.store.connection,
        "UPDATE triggers SET is_on = ?, beat = ?, due_at = ?, changed_at = ? WHERE workflow = ? AND name = ? AND gone_at IS NULL",
        [on ? 1 : 0, next.beat, on ? next.dueAt : null, Date.now(), workflow, name],
      ),
    );
  }

  /** Gives a webhook another unguessable part; the one before holds until a time. */
  async setSecret(workflow: string, name: string, secret: Buffer, olderUntil: number | null): Promise<void> {
    await this.writer.write(() =>
      execute(
        this.writer.store.connection,
        `UPDATE triggers SET older_secret = CASE WHEN ?2 IS NULL THEN NULL ELSE secret END, older_until = ?2, secret = ?1
          WHERE workflow = ?3 AND name = ?4 AND gone_at IS NULL`,
        [secret, olderUntil, workflow, name],
      ),
    );
  }

  /**
   * A schedule goes on to its next time: in the commit of what becomes of this one. One that was switched off, taken out, or given
   * another time meanwhile stays as it is.
   */
  moved(
    { workflow, name, beat, dueAt }: TriggerRecord,
    next: Pick<Wanted, "beat" | "dueAt">,
  ): KeyedStatement {
    return {
      key: `trigger ${workflow} ${name}`,
      change: "triggers (beat, due_at) by (environment, workflow, name, beat, due_at)",
      values: [next.beat, next.dueAt, live, workflow, name, beat, dueAt],
    };
  }

  /** The triggers of a workflow that is removed. */
  async remove(workflow: string): Promise<void> {
    await execute(this.writer.store.connection, "DELETE FROM triggers WHERE workflow = ?", [workflow]);
  }

  /** Forgets those that were taken out of their file long ago. */
  async prune(now: number): Promise<void> {
    await this.writer.write(() =>
      execute(this.writer.store.connection, "DELETE FROM triggers WHERE gone_at < ?", [now - goneMillis]),
    );
  }
}
