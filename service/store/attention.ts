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
      `WITH bad AS (
         SELECT id, workflow, created_at, coalesce(json_extract(error, '$.step'), '') || ' ' || coalesce(json_extract(error, '$.code'), '') AS cause
           FROM runs WHERE state = 'failed' AND created_at >= :since AND ${isForReal("runs")}
             AND id > coalesce((SELECT until_run FROM put_aside WHERE put_aside.workflow = runs.workflow), '')
             AND NOT EXISTS (SELECT 1 FROM runs AS good WHERE good.workflow = runs.workflow AND good.state = 'succeeded' AND good.id > runs.id
               AND ${isForReal("good")}))
       SELECT workflow, max(id) AS newest, count(*) AS count, min(created_at) AS since,
           (SELECT created_at FROM runs AS good WHERE good.workflow = bad.workflow AND good.state = 'succeeded'
             AND ${isForReal("good")}
             ORDER BY id DESC LIMIT 1) AS lastGoodAt
         FROM bad GROUP BY workflow, cause ORDER BY newest DESC LIMIT :limit`,
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
