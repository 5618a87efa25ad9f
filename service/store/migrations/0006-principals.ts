/** Who stands behind a run: whoever published its version, or started its draft. Its credentials are used in that name. */
export const principals = [
  `ALTER TABLE runs ADD COLUMN principal TEXT`,
  `UPDATE runs SET principal = (
     SELECT published_by FROM versions WHERE versions.workflow = runs.workflow AND versions.version = runs.version)
   WHERE version > 0`,
  `CREATE INDEX activity_by_time ON activity (at)`,
  // What a run keeps to itself of its options: outcomes and responses of earlier runs may hold secrets, and are sealed
  // with its first entry.
  `ALTER TABLE runs ADD COLUMN repeats TEXT`,
  `UPDATE runs SET repeats = json_extract(options, '$.from.run') WHERE options IS NOT NULL`,
  `UPDATE runs SET options = json_remove(options, '$.held', '$.samples', '$.faults') WHERE options IS NOT NULL`,
  `CREATE INDEX runs_by_repeats ON runs (repeats) WHERE repeats IS NOT NULL`,
  `CREATE INDEX runs_by_state ON runs (state, created_at, calls)`,
  // The entry that holds the response to the starter; -1: not known, of runs from before.
  `ALTER TABLE runs ADD COLUMN response_seq INTEGER`,
  `UPDATE runs SET response_seq = -1`,
  `ALTER TABLE files ADD COLUMN sealed INTEGER NOT NULL DEFAULT 0`,
  // Kept values as people may see them; the true ones lie sealed beside them, with the places that hold secrets.
  `ALTER TABLE kept ADD COLUMN sealed BLOB`,
  `ALTER TABLE kept ADD COLUMN masked TEXT NOT NULL DEFAULT '[]'`,
  `ALTER TABLE texts ADD COLUMN unused_since INTEGER`,
];
