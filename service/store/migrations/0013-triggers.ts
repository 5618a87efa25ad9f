/** Triggers of published versions with their state, and the events that they brought. */
export const triggers = [
  `CREATE TABLE triggers (
     environment TEXT NOT NULL DEFAULT 'live', workflow TEXT NOT NULL, name TEXT NOT NULL, kind TEXT NOT NULL,
     version INTEGER NOT NULL, is_on INTEGER NOT NULL DEFAULT 1,
     path TEXT, secret BLOB, older_secret BLOB, older_until INTEGER,
     beat INTEGER, due_at INTEGER,
     gone_at INTEGER, changed_at INTEGER NOT NULL,
     PRIMARY KEY (environment, workflow, name))`,
  `CREATE UNIQUE INDEX triggers_by_path ON triggers (environment, path) WHERE path IS NOT NULL`,
  `CREATE INDEX triggers_by_time ON triggers (due_at) WHERE due_at IS NOT NULL`,
  `CREATE TABLE events (
     id TEXT PRIMARY KEY, environment TEXT NOT NULL DEFAULT 'live', workflow TEXT NOT NULL, trigger_name TEXT NOT NULL,
     kind TEXT NOT NULL, version INTEGER NOT NULL, at INTEGER NOT NULL, state TEXT NOT NULL, run TEXT, reason TEXT,
     brought TEXT NOT NULL, sealed BLOB)`,
  `CREATE INDEX events_by_trigger ON events (workflow, trigger_name, id)`,
  `CREATE INDEX events_by_time ON events (at)`,
  `CREATE INDEX events_by_run ON events (run) WHERE run IS NOT NULL`,
];
