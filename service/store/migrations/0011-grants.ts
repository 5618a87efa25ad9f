/** Who acts is written with its kind; what versions may use is on record. */
export const grants = [
  ...[
    "runs SET principal",
    "versions SET published_by",
    "tries SET by",
    "samples SET by",
    "api_revisions SET created_by",
  ].map((what) => {
    const column = what.split(" ")[2];
    return `UPDATE ${what} = 'token:' || ${column} WHERE ${column} IS NOT NULL`;
  }),
  `UPDATE activity SET by = CASE
     WHEN by = 'service' THEN by
     WHEN run IS NOT NULL THEN 'run:' || run
     ELSE 'token:' || by END`,
  `ALTER TABLE runs ADD COLUMN started_by TEXT`,
  `UPDATE runs SET started_by = 'run:' || json_extract("trigger", '$.caller.run')
   WHERE json_extract("trigger", '$.caller.run') IS NOT NULL`,
  `CREATE TABLE grants (
     workflow TEXT NOT NULL, version INTEGER NOT NULL, kind TEXT NOT NULL, name TEXT NOT NULL,
     given_by TEXT NOT NULL, given_at INTEGER NOT NULL, withdrawn_by TEXT, withdrawn_at INTEGER,
     PRIMARY KEY (workflow, version, kind, name))`,
];
