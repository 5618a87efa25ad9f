import type { Retention } from "@copper-kettle/contract";
import type { Logger } from "pino";
import type { Blobs } from "../store/blobs.js";
import { execute, select } from "../store/database.js";
import type { SettingStore } from "../store/settings.js";
import type { Writer } from "../store/writer.js";

/** What holds where nobody said otherwise. */
export const usualRetention: Retention = { days: 90, runs: 10_000, workflows: {} };

/** So many runs go in one bite: a longer transaction would hold up those who write. */
const bite = 100;
const dayMillis = 86_400_000;
const activityBite = 500;
/** So many revisions of an API stay, whatever their age. */
const newestRevisions = 100;
/** The activity is retained this long, in days. */
const activityDays = 400;

/** Forgets ended runs by age and number, in small bites, with the bodies that nothing else names. */
export class Pruner {
  #working: Promise<{ runs: number; files: number }> | undefined;
  #held = 0;

  constructor(
    readonly writer: Writer,
    readonly blobs: Blobs,
    readonly settings: SettingStore,
    readonly log: Logger,
    readonly now: () => number,
  ) {}

  rules(): Retention {
    return { ...usualRetention, ...(this.settings.get("retention") as Partial<Retention> | undefined) };
  }

  /** Forgets what the rules say; one at a time. */
  prune(): Promise<{ runs: number; files: number }> {
    this.#working ??= this.#prune().finally(() => (this.#working = undefined));
    return this.#working;
  }

  /** Lets nothing be forgotten while some work goes on, such as a backup. */
  async holding<T>(work: () => Promise<T>): Promise<T> {
    this.#held++;
    try {
      await this.#working;
      return await work();
    } finally {
      this.#held--;
    }
  }

  async #prune(): Promise<{ runs: number; files: number }> {
    const done = { runs: 0, files: 0 };
    const rules = this.rules();
    const workflows = await select<{ workflow: string }>(
      this.writer.store,
      "SELECT DISTINCT workflow FROM runs",
    );
    for (const { workflow } of workflows) {
      const { days = rules.days, runs = rules.runs } = rules.workflows[workflow] ?? {};
      for (;;) {
        if (this.#held > 0) return done;
        const gone = await this.#doomed(workflow, days, runs);
        if (gone.length === 0) break;
        done.files += await this.#forget(gone);
        done.runs += gone.length;
        if (gone.length < bite) break;
      }
    }
    await this.#forgetActivity();
    if (this.#held === 0) await this.#forgetTexts();
    if (this.#held === 0) done.files += await this.#forgetRevisions();
    if (done.runs > 0) this.log.info(done, "old runs were forgotten");
    return done;
  }

  /** Texts of drafts that no workflow, version or run names: a day after that, since a start may be on its way. */
  async #forgetTexts(): Promise<void> {
    const now = this.now();
    const unused = `digest NOT IN (SELECT draft FROM workflows) AND digest NOT IN (SELECT text FROM versions)
      AND digest NOT IN (SELECT text FROM runs)`;
    const { connection } = this.writer.store;
    await this.writer.write(async () => {
      const some = `SELECT digest FROM texts WHERE unused_since IS NULL AND ${unused} LIMIT ?`;
      await execute(connection, `UPDATE texts SET unused_since = ? WHERE digest IN (${some})`, [now, bite]);
      await execute(connection, `DELETE FROM texts WHERE unused_since < ? AND ${unused}`, [now - dayMillis]);
    });
  }

  /** Of each API the newest revisions stay, and those that an unfinished run may have begun with. */
  async #forgetRevisions(): Promise<number> {
    const gone = await select<{ api: string; revision: number; document: string; original: string }>(
      this.writer.store,
      `SELECT old.api, old.revision, old.document, old.original FROM api_revisions AS old
         JOIN api_revisions AS next ON next.api = old.api AND next.revision = old.revision + 1
         WHERE old.revision <= (SELECT max(revision) FROM api_revisions WHERE api = old.api) - :most
           AND next.created_at < coalesce((SELECT min(created_at) FROM runs WHERE ended_at IS NULL), :now)
         LIMIT :bite`,
      { most: newestRevisions, now: this.now(), bite },
    );
    if (gone.length === 0) return 0;
    await this.writer.write(async () => {
      for (const { api, revision } of gone)
        await execute(
          this.writer.store.connection,
          "DELETE FROM api_revisions WHERE api = ? AND revision = ?",
          [api, revision],
        );
    });
    let files = 0;
    for (const digest of new Set(gone.flatMap(({ document, original }) => [document, original])))
      if (!(await this.#isNamed(digest)) && (await this.blobs.remove(digest))) files++;
    return files;
  }

  /** In bites, too: they may be millions. */
  async #forgetActivity(): Promise<void> {
    const before = this.now() - activityDays * dayMillis;
    const sql = "DELETE FROM activity WHERE id IN (SELECT id FROM activity WHERE at < ? ORDER BY at LIMIT ?)";
    const some = (): Promise<number> =>
      this.writer.write(() => execute(this.writer.store.connection, sql, [before, activityBite]));
    while ((await some()) === activityBite);
  }

  /** Runs that have ended and are too old or too many; never one whose outcomes an unfinished run keeps. */
  async #doomed(workflow: string, days: number | undefined, runs: number | undefined): Promise<string[]> {
    const { store } = this.writer;
    const before = days === undefined ? 0 : this.now() - days * dayMillis;
    const [edge] =
      runs === undefined
        ? []
        : await select<{ id: string }>(
            store,
            "SELECT id FROM runs WHERE workflow = :workflow ORDER BY id DESC LIMIT 1 OFFSET :runs",
            { workflow, runs },
          );
    const rows = await select<{ id: string }>(
      store,
      `SELECT id FROM runs WHERE workflow = :workflow AND ended_at IS NOT NULL AND (ended_at < :before OR id <= :edge)
         AND id NOT IN (SELECT repeats FROM runs WHERE ended_at IS NULL AND repeats IS NOT NULL)
       ORDER BY id LIMIT :bite`,
      { workflow, before, edge: edge?.id ?? "", bite },
    );
    return rows.map(({ id }) => id);
  }

  async #forget(runs: string[]): Promise<number> {
    const { store } = this.writer;
    const digests = await select<{ digest: string }>(
      store,
      `SELECT entries_blob AS digest FROM journal WHERE run IN (:runs) AND entries_blob IS NOT NULL
       UNION SELECT sealed_blob FROM journal WHERE run IN (:runs) AND sealed_blob IS NOT NULL
       UNION SELECT sha256 FROM files WHERE run IN (:runs)`,
      { runs },
    );
    const marks = runs.map(() => "?").join(",");
    await this.writer.write(async () => {
      for (const sql of [
        `DELETE FROM journal WHERE run IN (${marks})`,
        `DELETE FROM files WHERE run IN (${marks})`,
        `DELETE FROM runs WHERE id IN (${marks})`,
      ])
        await execute(store.connection, sql, runs);
    });
    let files = 0;
    for (const { digest } of digests)
      if (!(await this.#isNamed(digest)) && (await this.blobs.remove(digest))) files++;
    return files;
  }

  async #isNamed(digest: string): Promise<boolean> {
    const named = await select(
      this.writer.store,
      `SELECT 1 FROM journal WHERE entries_blob = :digest UNION ALL SELECT 1 FROM journal WHERE sealed_blob = :digest
       UNION ALL SELECT 1 FROM files WHERE sha256 = :digest
       UNION ALL SELECT 1 FROM api_revisions WHERE document = :digest OR original = :digest LIMIT 1`,
      { digest },
    );
    return named.length > 0;
  }
}
