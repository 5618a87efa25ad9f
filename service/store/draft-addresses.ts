import { printPrincipal, readPrincipal, type Principal } from "@copper-kettle/core";
import { execute, select } from "./database.js";
import type { Writer } from "./writer.js";

/** An address holds for so long, in milliseconds; asking for it again begins anew. */
const millis = 3_600_000;

/** Addresses at which drafts take deliveries while somebody builds them. Only digests are stored. */
export class DraftAddresses {
  constructor(readonly writer: Writer) {}

  /** Gives a draft a new address; the one before is void. Returns until when it holds. */
  async give(workflow: string, secret: Buffer, by: Principal, now: number): Promise<number> {
    await this.writer.write(() =>
      execute(
        this.writer.store.connection,
        `INSERT INTO draft_addresses (workflow, secret, until, given_to) VALUES (?1, ?2, ?3, ?4)
          ON CONFLICT (workflow) DO UPDATE SET secret = ?2, until = ?3, given_to = ?4`,
        [workflow, secret, now + millis, printPrincipal(by)],
      ),
    );
    return now + millis;
  }

  /** Whose draft an address means, and who asked for it; undefined where there is none, or its hour is over. */
  async find(secret: Buffer, now: number): Promise<{ workflow: string; by: Principal } | undefined> {
    const [row] = await select<{ workflow: string; givenTo: string }>(
      this.writer.store,
      "SELECT workflow, given_to AS givenTo FROM draft_addresses WHERE secret = :secret AND until > :now",
      { secret, now },
    );
    const by = row && readPrincipal(row.givenTo);
    return row && by ? { workflow: row.workflow, by } : undefined;
  }

  /** Forgets those whose hour is over. */
  async prune(now: number): Promise<void> {
    await this.writer.write(() =>
      execute(this.writer.store.connection, "DELETE FROM draft_addresses WHERE until < ?", [now]),
    );
  }
}
