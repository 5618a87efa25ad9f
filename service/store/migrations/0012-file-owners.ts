/** A file may belong to several; it is forgotten with the last of them. */
export const fileOwners = [
  `CREATE TABLE file_owners (
     file TEXT NOT NULL, owner_kind TEXT NOT NULL, owner TEXT NOT NULL, PRIMARY KEY (file, owner_kind, owner)) WITHOUT ROWID`,
  `CREATE INDEX file_owners_by_owner ON file_owners (owner_kind, owner)`,
  `INSERT INTO file_owners (file, owner_kind, owner) SELECT id, 'run', run FROM files`,
  `DROP INDEX files_by_run`,
  `ALTER TABLE files DROP COLUMN run`,
  `CREATE INDEX files_by_time ON files (created_at)`,
];
