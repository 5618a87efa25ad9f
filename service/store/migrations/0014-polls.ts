/** What polls know: how far they have read, and what they have seen. */
export const polls = [
  `ALTER TABLE triggers ADD COLUMN poll TEXT`,
  `CREATE TABLE seen (
     environment TEXT NOT NULL DEFAULT 'live', workflow TEXT NOT NULL, trigger_name TEXT NOT NULL, digest BLOB NOT NULL,
     id TEXT NOT NULL, changed TEXT, item TEXT, absent_since INTEGER,
     PRIMARY KEY (environment, workflow, trigger_name, digest)) WITHOUT ROWID`,
  `CREATE INDEX seen_by_absence ON seen (absent_since) WHERE absent_since IS NOT NULL`,
];
