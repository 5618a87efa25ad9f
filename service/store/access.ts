import { Op } from "sequelize";
import { AccessTokenRow, SessionRow, type AccessTokenRecord, type SessionRecord } from "./people-models.js";
import type { Writer } from "./writer.js";

/** Access tokens and sessions: digests of what was given out, and for whom. */
export class AccessStore {
  constructor(readonly writer: Writer) {}

  /** The eldest first. */
  tokens(): Promise<AccessTokenRecord[]> {
    return AccessTokenRow.findAll({ order: [["createdAt", "ASC"]], raw: true });
  }

  async addToken(digest: string, name: string): Promise<void> {
    await this.writer.write((transaction) =>
      AccessTokenRow.create({ digest, name, createdAt: Date.now() }, { transaction }),
    );
  }

  /** Removes the tokens of a name with the sessions that were opened with them; false if it has no token. */
  removeTokens(name: string): Promise<boolean> {
    return this.writer.write(async (transaction) => {
      await SessionRow.destroy({ where: { name }, transaction });
      return (await AccessTokenRow.destroy({ where: { name }, transaction })) > 0;
    });
  }

  sessions(): Promise<SessionRecord[]> {
    return SessionRow.findAll({ raw: true });
  }

  async addSession(session: SessionRecord): Promise<void> {
    await this.writer.write((transaction) => SessionRow.create(session, { transaction }));
  }

  async removeSession(digest: string): Promise<void> {
    await this.writer.write((transaction) => SessionRow.destroy({ where: { digest }, transaction }));
  }

  /** Removes sessions that were over by a time. */
  async removeSessionsBefore(at: number): Promise<void> {
    await this.writer.write((transaction) =>
      SessionRow.destroy({ where: { expiresAt: { [Op.lt]: at } }, transaction }),
    );
  }
}
