/** Times are milliseconds since 1970. */
export const tryTables = [
  // What was tried by hand: what was asked for and what came back, with secrets masked.
  `CREATE TABLE tries (
     id INTEGER PRIMARY KEY AUTOINCREMENT, at INTEGER NOT NULL, by TEXT NOT NULL, operation TEXT, given TEXT NOT NULL,
     status INTEGER, took INTEGER NOT NULL, result TEXT NOT NULL)`,
  `CREATE INDEX tries_by_operation ON tries (operation, id)`,
  // Responses that were saved to build from.
  `CREATE TABLE samples (
     api TEXT NOT NULL, operation TEXT NOT NULL, name TEXT NOT NULL, at INTEGER NOT NULL, by TEXT NOT NULL,
     given TEXT NOT NULL, status INTEGER NOT NULL, headers TEXT NOT NULL, body TEXT NOT NULL,
     PRIMARY KEY (api, operation, name)) WITHOUT ROWID`,
  // Where real responses do not match the current document of an API.
  `CREATE TABLE drift (
     api TEXT NOT NULL, operation TEXT NOT NULL, status INTEGER NOT NULL, what TEXT NOT NULL, path TEXT NOT NULL,
     detail TEXT NOT NULL, first_at INTEGER NOT NULL, last_at INTEGER NOT NULL, count INTEGER NOT NULL, run TEXT,
     PRIMARY KEY (api, operation, status, what, path)) WITHOUT ROWID`,
];
