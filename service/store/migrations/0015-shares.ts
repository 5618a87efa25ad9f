/** What a run counts against besides its workflow's own limit, as JSON. */
export const shares = [`ALTER TABLE runs ADD COLUMN shares TEXT`];
