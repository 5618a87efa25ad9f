/** How long a trigger may be without a success before people are notified. */
export const expected = [`ALTER TABLE triggers ADD COLUMN expect_within INTEGER`];
