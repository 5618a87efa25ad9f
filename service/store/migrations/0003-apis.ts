/** Times are milliseconds since 1970. */
export const apiTables = [
  `CREATE TABLE apis (
     name TEXT PRIMARY KEY, title TEXT NOT NULL, revision INTEGER NOT NULL, changed_at INTEGER NOT NULL)`,
  // Each revision's document as OpenAPI 3.1, and the text that was given; both are files beside the database.
  `CREATE TABLE api_revisions (
     api TEXT NOT NULL, revision INTEGER NOT NULL, document TEXT NOT NULL, original TEXT NOT NULL, written TEXT NOT NULL,
     source TEXT, created_at INTEGER NOT NULL, created_by TEXT NOT NULL, PRIMARY KEY (api, revision))`,
];
