import type sqlite3 from "sqlite3";
import type { Statement } from "sqlite3";

/** Statements of one connection, each prepared once for its text. */
export class PreparedStatements {
  readonly #prepared = new Map<string, Promise<Statement>>();

  constructor(readonly connection: sqlite3.Database) {}

  async run(sql: string, values: unknown[] = []): Promise<void> {
    const statement = await this.#statement(sql);
    return new Promise((resolve, reject) =>
      statement.run(values, (error: Error | null) => (error ? reject(error) : resolve())),
    );
  }

  /** Runs a statement that gives rows. */
  async rows(sql: string, values: unknown[]): Promise<Record<string, unknown>[]> {
    const statement = await this.#statement(sql);
    return new Promise((resolve, reject) =>
      statement.all(values, (error: Error | null, rows: Record<string, unknown>[]) =>
        error ? reject(error) : resolve(rows),
      ),
    );
  }

  async close(): Promise<void> {
    for (const prepared of this.#prepared.values()) {
      const statement = await prepared;
      await new Promise<void>((resolve) => statement.finalize(() => resolve()));
    }
    this.#prepared.clear();
  }

  #statement(sql: string): Promise<Statement> {
    let prepared = this.#prepared.get(sql);
    if (!prepared) this.#prepared.set(sql, (prepared = this.#prepare(sql)));
    return prepared;
  }

  #prepare(sql: string): Promise<Statement> {
    return new Promise((resolve, reject) => {
      const statement: Statement = this.connection.prepare(sql, (error: Error | null) => {
        if (!error) return resolve(statement);
        this.#prepared.delete(sql);
        reject(error);
      });
    });
  }
}
