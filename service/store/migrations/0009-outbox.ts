/** What is to be reported to people, written in the commit of what it reports. */
export const outbox = [
  `CREATE TABLE outbox (
     id INTEGER PRIMARY KEY AUTOINCREMENT,
     run TEXT NOT NULL,
     workflow TEXT NOT NULL,
     state TEXT NOT NULL,
     at INTEGER NOT NULL
   )`,
];
