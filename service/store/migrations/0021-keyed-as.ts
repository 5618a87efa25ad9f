/** The name under which the keys of a trigger count: the one that it had first. */
export const keyedAs = [`ALTER TABLE triggers ADD COLUMN keyed_as TEXT`];
