/** Times are milliseconds since 1970. */
export const credentialLife = [
  // What a credential replaced, while both hold; sealed like the credential itself.
  `ALTER TABLE credentials ADD COLUMN replaced BLOB`,
  `ALTER TABLE credentials ADD COLUMN replaced_until INTEGER`,
  // The end of its secret, as a person said; the end of a certificate is read from it.
  `ALTER TABLE credentials ADD COLUMN ends_at INTEGER`,
  // How it last came out: null while nothing is wrong, else JSON { code, sentence, at }.
  `ALTER TABLE credentials ADD COLUMN fault TEXT`,
  `ALTER TABLE credentials ADD COLUMN last_worked_at INTEGER`,
  // Who may use and who may change it: JSON lists of names; empty for everybody.
  `ALTER TABLE credentials ADD COLUMN may_use TEXT NOT NULL DEFAULT '[]'`,
  `ALTER TABLE credentials ADD COLUMN may_change TEXT NOT NULL DEFAULT '[]'`,
  // Tokens, per credential, audience and scopes; sealed whole.
  `CREATE TABLE tokens (
     credential TEXT NOT NULL, key TEXT NOT NULL, sealed BLOB NOT NULL, obtained_at INTEGER NOT NULL,
     expires_at INTEGER, PRIMARY KEY (credential, key))`,
  // Who did what, to what. Uses of credentials are one row a run and credential.
  `CREATE TABLE activity (
     id INTEGER PRIMARY KEY AUTOINCREMENT, at INTEGER NOT NULL, by TEXT NOT NULL, action TEXT NOT NULL,
     kind TEXT NOT NULL, name TEXT NOT NULL, run TEXT, detail TEXT)`,
  `CREATE INDEX activity_by_name ON activity (kind, name, id)`,
  // A run that waits for a person to sign in with a credential.
  `ALTER TABLE runs ADD COLUMN waits_for TEXT`,
  `CREATE INDEX runs_waiting_for ON runs (waits_for) WHERE waits_for IS NOT NULL`,
];
