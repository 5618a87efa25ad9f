/** Times are milliseconds since 1970. */
export const engineTables = [
  `CREATE TABLE kept (
     workflow TEXT NOT NULL, "key" TEXT NOT NULL, data TEXT NOT NULL, expires_at INTEGER, changed_at INTEGER NOT NULL,
     PRIMARY KEY (workflow, "key"))`,
  `CREATE TABLE locks (name TEXT PRIMARY KEY, run TEXT NOT NULL, path TEXT NOT NULL, at INTEGER NOT NULL)`,
  `CREATE INDEX locks_by_run ON locks (run)`,
  // What a run waits for: its kind and its name, as in credential:boards-marit.
  `UPDATE runs SET waits_for = 'credential:' || waits_for WHERE waits_for IS NOT NULL`,
  // The run that called it; only while that one waits for it.
  `ALTER TABLE runs ADD COLUMN parent TEXT`,
  `CREATE INDEX runs_by_parent ON runs (parent) WHERE parent IS NOT NULL`,
  `ALTER TABLE runs ADD COLUMN options TEXT`,
  `CREATE INDEX journal_blobs ON journal (entries_blob) WHERE entries_blob IS NOT NULL`,
  `CREATE INDEX journal_sealed_blobs ON journal (sealed_blob) WHERE sealed_blob IS NOT NULL`,
  `CREATE INDEX files_by_digest ON files (sha256)`,
  `CREATE INDEX files_by_run ON files (run)`,
  `CREATE TABLE settings (name TEXT PRIMARY KEY, value BLOB NOT NULL)`,
];
