/** The last looks of each poll, with their requests and responses as people may see them. */
export const looks = [
  `CREATE TABLE looks (
     environment TEXT NOT NULL DEFAULT 'live', workflow TEXT NOT NULL, trigger_name TEXT NOT NULL, at INTEGER NOT NULL,
     entries TEXT NOT NULL, PRIMARY KEY (environment, workflow, trigger_name, at)) WITHOUT ROWID`,
];
