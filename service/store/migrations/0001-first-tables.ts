/** Times are milliseconds since 1970. */
export const firstTables = [
  // A file's text, stored once however many versions and runs use it.
  `CREATE TABLE texts (digest TEXT PRIMARY KEY, text TEXT NOT NULL)`,
  `CREATE TABLE workflows (
     name TEXT PRIMARY KEY, title TEXT, draft TEXT NOT NULL REFERENCES texts (digest), revision INTEGER NOT NULL,
     published INTEGER, problems INTEGER NOT NULL, changed_at INTEGER NOT NULL)`,
  `CREATE TABLE versions (
     workflow TEXT NOT NULL, version INTEGER NOT NULL, text TEXT NOT NULL REFERENCES texts (digest),
     published_at INTEGER NOT NULL, published_by TEXT NOT NULL, PRIMARY KEY (workflow, version))`,
  `CREATE TABLE runs (
     id TEXT PRIMARY KEY, workflow TEXT NOT NULL, version INTEGER NOT NULL, text TEXT NOT NULL REFERENCES texts (digest),
     origin TEXT NOT NULL, state TEXT NOT NULL, trigger TEXT NOT NULL, start_key TEXT, created_at INTEGER NOT NULL,
     started_at INTEGER, ended_at INTEGER, wake_at INTEGER, calls INTEGER NOT NULL DEFAULT 0,
     problems INTEGER NOT NULL DEFAULT 0, error TEXT, message TEXT, unsure TEXT NOT NULL DEFAULT '[]')`,
  `CREATE INDEX runs_by_workflow ON runs (workflow, id)`,
  `CREATE INDEX runs_unfinished ON runs (state, wake_at) WHERE ended_at IS NULL`,
  `CREATE INDEX runs_by_end ON runs (ended_at)`,
  `CREATE UNIQUE INDEX runs_by_key ON runs (workflow, start_key) WHERE start_key IS NOT NULL`,
  // One row a commit of a run: its entries in the open form, and the true ones sealed where the two differ.
  `CREATE TABLE journal (
     run TEXT NOT NULL, seq INTEGER NOT NULL, count INTEGER NOT NULL, at INTEGER NOT NULL, entries TEXT, sealed BLOB,
     entries_blob TEXT, sealed_blob TEXT)`,
  `CREATE UNIQUE INDEX journal_by_run ON journal (run, seq)`,
  `CREATE TABLE files (
     id TEXT PRIMARY KEY, run TEXT NOT NULL, name TEXT NOT NULL, media_type TEXT NOT NULL, size INTEGER NOT NULL,
     sha256 TEXT NOT NULL, created_at INTEGER NOT NULL)`,
  `CREATE TABLE data_keys (id INTEGER PRIMARY KEY, wrapped BLOB NOT NULL, created_at INTEGER NOT NULL)`,
  `CREATE TABLE credentials (
     name TEXT PRIMARY KEY, kind TEXT NOT NULL, hosts TEXT NOT NULL, shown TEXT NOT NULL, sealed BLOB NOT NULL,
     changed_at INTEGER NOT NULL, last_used_at INTEGER)`,
  `CREATE TABLE constants (name TEXT PRIMARY KEY, value TEXT NOT NULL, changed_at INTEGER NOT NULL)`,
  `CREATE TABLE access_tokens (digest TEXT PRIMARY KEY, name TEXT NOT NULL, created_at INTEGER NOT NULL)`,
  `CREATE TABLE sessions (digest TEXT PRIMARY KEY, name TEXT NOT NULL, created_at INTEGER NOT NULL, expires_at INTEGER NOT NULL)`,
];
