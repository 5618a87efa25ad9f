/** Of a credential of the kind `login`: its last exchange, masked, and how long it pauses after logins that failed. */
export const logins = [`ALTER TABLE credentials ADD COLUMN login TEXT`];
