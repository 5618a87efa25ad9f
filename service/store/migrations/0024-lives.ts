/** The times in which the service ran: from its start to its end, or to its last sign of life where it was killed. */
export const lives = [
  `CREATE TABLE lives (id INTEGER PRIMARY KEY, began INTEGER NOT NULL, seen INTEGER NOT NULL, ended INTEGER)`,
];
