/** Addresses at which drafts take deliveries for a while, and events that are saved as samples or were made up. */
export const drafts = [
  `CREATE TABLE draft_addresses (
     workflow TEXT NOT NULL PRIMARY KEY, secret BLOB NOT NULL, until INTEGER NOT NULL, given_to TEXT NOT NULL) WITHOUT ROWID`,
  `CREATE UNIQUE INDEX draft_addresses_by_secret ON draft_addresses (secret)`,
  `ALTER TABLE events ADD COLUMN sample INTEGER NOT NULL DEFAULT 0`,
  `ALTER TABLE events ADD COLUMN made_up INTEGER NOT NULL DEFAULT 0`,
  `CREATE INDEX events_samples ON events (workflow, trigger_name) WHERE sample = 1`,
];
