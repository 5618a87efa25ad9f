import { execute, select, selectList } from "./database.js";
import type { Writer } from "./writer.js";

/** Runs of one workflow that failed for one cause, as one thing that needs a person. */
export interface Failures {
  workflow: string;
  /** The newest of them. */
  newest: string;
  count: number;
  /** When the first of them began, in milliseconds since 1970. */
  since: number;
  /** When the newest run before them that succeeded began; null where none is known. */
  lastGoodAt: number | null;
}

/** Rehearsals, and tests of single steps, are watched by who started them. */
const isForReal = (runs: string): string =>
  `json_extract(coalesce(${runs}.options, '{}'), '$.rehearsal') IS NOT 1 AND json_extract(coalesce(${runs}.options, '{}'), '$.only') IS NULL`;

/** What waits for a person among the runs. */
export class AttentionStore {
  constructor(readonly writer: Writer) {}

  /**
   * Failures since a time, one for each workflow and cause (step and code), the newest first. What a later success of
   * the same workflow has made good is not among them, nor what somebody put aside.
   */
  failures(since: number, limit: number): Promise<Failures[]> {
    return selectList<Failures>(
      this.writer.store,
      `WITH failed AS (
         SELECT id, workflow, created_at, coalesce(json_extract(error, '$.step'), '') || ' ' || coalesce(json_extract(error, '$.code'), '') AS cause
           FROM runs WHERE state = 'failed' AND created_at >= :since AND ${isForReal("runs")}),
       good AS MATERIALIZED (
         SELECT workflow,
             (SELECT id FROM runs AS last WHERE last.workflow = names.workflow AND last.state = 'succeeded' AND ${isForReal("last")}
               ORDER BY id DESC LIMIT 1) AS id,
             (SELECT until_run FROM put_aside WHERE put_aside.workflow = names.workflow) AS put_aside
           FROM (SELECT DISTINCT workflow FROM failed) AS names)
       SELECT failed.workflow, max(failed.id) AS newest, count(*) AS count, min(failed.created_at) AS since,
           (SELECT created_at FROM runs WHERE runs.id = good.id) AS lastGoodAt
         FROM failed JOIN good ON good.workflow = failed.workflow
         WHERE failed.id > coalesce(good.id, '') AND failed.id > coalesce(good.put_aside, '')
         GROUP BY failed.workflow, cause ORDER BY newest DESC LIMIT :limit`,
      { since, limit },
    );
  }

  /** Puts the failures of a workflow aside, up to a run. A run before the one that was put aside changes nothing. */
  async putAside(workflow: string, until: string, by: string, at: number): Promise<void> {
    await this.writer.write(() =>
      execute(
        this.writer.store.connection,
        `INSERT INTO put_aside (workflow, until_run, put_by, at) VALUES (?, ?, ?, ?)
           ON CONFLICT (environment, workflow) DO UPDATE SET until_run = excluded.until_run, put_by = excluded.put_by, at = excluded.at
           WHERE excluded.until_run > put_aside.until_run`,
        [workflow, until, by, at],
      ),
    );
  }

  /** The next times of the schedules that are on, the soonest first. */
  startsNext(limit: number): Promise<{ workflow: string; trigger: string; at: number }[]> {
    return select(
      this.writer.store,
      "SELECT workflow, name AS trigger, due_at AS at FROM triggers WHERE due_at IS NOT NULL AND is_on = 1 AND gone_at IS NULL ORDER BY due_at LIMIT :limit",
      { limit },
    );
  }
}
