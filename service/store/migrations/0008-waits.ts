/** What runs wait for, a row each, found by what comes; a run may wait for several things. */
export const waits = [
  `CREATE TABLE waits (
     run TEXT NOT NULL,
     path TEXT NOT NULL,
     kind TEXT NOT NULL,
     name TEXT NOT NULL,
     seen INTEGER NOT NULL DEFAULT 0,
     PRIMARY KEY (run, path)
   ) WITHOUT ROWID`,
  `CREATE INDEX waits_by_name ON waits (kind, name)`,
  `CREATE TABLE usable (credential TEXT PRIMARY KEY, times INTEGER NOT NULL) WITHOUT ROWID`,
  `ALTER TABLE runs ADD COLUMN waits TEXT NOT NULL DEFAULT '[]'`,
  // Runs from before look once more, and write what they wait for.
  `UPDATE runs SET wake_at = 0 WHERE state = 'waiting' AND waits_for IS NOT NULL`,
  `DROP INDEX runs_waiting_for`,
  `ALTER TABLE runs DROP COLUMN waits_for`,
];
