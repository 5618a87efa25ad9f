/** A delivery may start many runs; and each key of a start says itself how long it counts. */
export const many = [
  `ALTER TABLE events ADD COLUMN runs INTEGER NOT NULL DEFAULT 0`,
  `ALTER TABLE events ADD COLUMN last_run TEXT`,
  `UPDATE events SET runs = 1 WHERE state = 'started'`,
  `ALTER TABLE start_keys RENAME COLUMN at TO retained_until`,
  `UPDATE start_keys SET retained_until = retained_until + 604800000`,
];
