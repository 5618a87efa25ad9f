/** Failures that somebody has seen and does not want on Home any more: those of a workflow up to one of its runs. */
export const putAside = [
  `CREATE TABLE put_aside (
     environment TEXT NOT NULL DEFAULT 'live', workflow TEXT NOT NULL, until_run TEXT NOT NULL, put_by TEXT NOT NULL,
     at INTEGER NOT NULL, PRIMARY KEY (environment, workflow)) WITHOUT ROWID`,
  `CREATE INDEX runs_good ON runs (workflow, state, id)`,
];
