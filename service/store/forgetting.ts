import type { Blobs } from "./blobs.js";
import { execute, select, selectList, selectOn } from "./database.js";
import { withUsed } from "./runs.js";
import { StartKeys } from "./start-keys.js";
import type { Writer } from "./writer.js";

/** So many runs go in one bite: a longer transaction would hold up those who write. */
const bite = 100;
const dayMillis = 86_400_000;
const activityBite = 500;
/** So many pages of the file are given back to the disk at a time. */
const freedPages = 500;
/** So many revisions of an API stay, whatever their age. */
const newestRevisions = 100;

/** Which ended runs of a workflow go: those older than so many days, and those beyond the newest so many. */
export interface RunLimits {
  days: number | undefined;
  runs: number | undefined;
}

/** What leaves the store, in bites, with the bodies that nothing names any more. */
export class Forgetting {
  constructor(
    readonly writer: Writer,
    readonly blobs: Blobs,
    readonly now: () => number,
  ) {}

  /** The workflows that have runs. */
  async workflows(): Promise<string[]> {
    const rows = await selectList<{ workflow: string }>(
      this.writer.store,
      "SELECT DISTINCT workflow FROM runs",
    );
    return rows.map(({ workflow }) => workflow);
  }

  /** Removes one bite of the runs of a workflow; `more` says whether there may be others. */
  async someRuns(
    workflow: string,
    limits: RunLimits,
  ): Promise<{ runs: number; files: number; more: boolean }> {
    const gone = await this.#doomed(workflow, limits);
    const files = gone.length > 0 ? await this.#forget(gone) : 0;
    return { runs: gone.length, files, more: gone.length === bite };
  }

  /** Keys of starts that nobody will repeat any more. */
  startKeys(): Promise<void> {
    return new StartKeys(this.writer.store).prune(this.writer, this.now());
  }

  /** Texts of drafts that no workflow, version or run names: a day after that, since a start may be on its way. */
  async texts(): Promise<void> {
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

  /** Of each API the newest revisions stay, and those that an unfinished run may have begun with. Returns the files removed. */
  async revisions(): Promise<number> {
    const gone = await selectList<{ api: string; revision: number; document: string; original: string }>(
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

  /** The activity before a time, in bites: there may be millions. */
  async activityBefore(before: number): Promise<void> {
    const sql = "DELETE FROM activity WHERE id IN (SELECT id FROM activity WHERE at < ? ORDER BY at LIMIT ?)";
    const some = (): Promise<number> =>
      this.writer.write(() => execute(this.writer.store.connection, sql, [before, activityBite]));
    while ((await some()) === activityBite);
  }

  /** Runs that have ended and are too old or too many; never one that an unended run needs. */
  async #doomed(workflow: string, { days, runs }: RunLimits): Promise<string[]> {
    const { store } = this.writer;
    const before = days === undefined ? 0 : this.now() - days * dayMillis;
    const [edge] =
      runs === undefined
        ? []
        : await selectList<{ id: string }>(
            store,
            "SELECT id FROM runs WHERE workflow = :workflow ORDER BY id DESC LIMIT 1 OFFSET :runs",
            { workflow, runs },
          );
    const rows = await selectList<{ id: string }>(
      store,
      `${withUsed}
       SELECT id FROM runs WHERE workflow = :workflow AND ended_at IS NOT NULL AND (ended_at < :before OR id <= :edge)
         AND id NOT IN (SELECT id FROM used) ORDER BY id LIMIT :bite`,
      { workflow, before, edge: edge?.id ?? "", bite },
    );
    return rows.map(({ id }) => id);
  }

  async #forget(runs: string[]): Promise<number> {
    const { store } = this.writer;
    const digests = await selectList<{ digest: string }>(
      store,
      `SELECT entries_blob AS digest FROM journal WHERE run IN (:runs) AND entries_blob IS NOT NULL
       UNION SELECT sealed_blob FROM journal WHERE run IN (:runs) AND sealed_blob IS NOT NULL
       UNION SELECT sha256 FROM files JOIN file_owners ON file = id WHERE owner_kind = 'run' AND owner IN (:runs)`,
      { runs },
    );
    const marks = runs.map(() => "?").join(",");
    await this.writer.write(async () => {
      for (const sql of [
        `DELETE FROM journal WHERE run IN (${marks})`,
        `DELETE FROM files WHERE id IN (
           SELECT file FROM file_owners WHERE owner_kind = 'run' AND owner IN (${marks}))
           AND NOT EXISTS (SELECT 1 FROM file_owners WHERE file = id AND NOT (owner_kind = 'run' AND owner IN (${marks})))`,
        `DELETE FROM file_owners WHERE owner_kind = 'run' AND owner IN (${marks})`,
        `DELETE FROM runs WHERE id IN (${marks})`,
      ])
        await execute(
          store.connection,
          sql,
          Array(sql.split(marks).length - 1)
            .fill(runs)
            .flat(),
        );
    });
    await this.#giveRoomBack();
    let files = 0;
    for (const { digest } of digests)
      if (!(await this.#isNamed(digest)) && (await this.blobs.remove(digest))) files++;
    return files;
  }

  /** Files without an owner, a day after they were kept. Their bodies go with those that no row names. */
  async filesWithoutOwner(): Promise<void> {
    const { connection } = this.writer.store;
    // Those of an event go with its body; and where no event came of them, since the service was killed.
    const owners = `DELETE FROM file_owners WHERE owner_kind = 'event'
      AND file IN (SELECT id FROM files WHERE created_at < ?)
      AND NOT EXISTS (SELECT 1 FROM events WHERE id = owner AND brought <> '{}')`;
    await this.writer.write(() => execute(connection, owners, [this.now() - dayMillis]));
    const sql = `DELETE FROM files WHERE id IN (SELECT id FROM files WHERE created_at < ?
      AND NOT EXISTS (SELECT 1 FROM file_owners WHERE file = files.id) LIMIT ?)`;
    await this.writer.write(() => execute(connection, sql, [this.now() - dayMillis, bite]));
  }

  /** Bodies that no row names, a day after they were written: of a commit that did not come, of a kill, of an erasure. */
  async orphans(): Promise<number> {
    let files = 0;
    for await (const { digest, writtenAt } of this.blobs.all())
      if (writtenAt < this.now() - dayMillis && !(await this.#isNamed(digest)))
        if (await this.blobs.remove(digest)) files++;
    return files;
  }

  /** Some of the pages that are free leave the file. */
  async #giveRoomBack(): Promise<void> {
    const { connection } = this.writer.store;
    await this.writer.write(() => selectOn(connection, `PRAGMA incremental_vacuum(${freedPages})`));
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
