import type { MaskSet } from "@copper-kettle/core";
import { parseJson, printJson, type Json, type Token } from "@copper-kettle/core";
import type { Sealer } from "../sealing/keys.js";
import { TokenRow } from "./models.js";
import type { UsableCredentials } from "./usable.js";
import type { Writer } from "./writer.js";

/** How many replaced tokens of one credential logs still mask: what was under way with them may come up yet. */
const mostOld = 3;

/** Tokens, per credential and key: sealed in the database, opened once and then read from memory. */
export class TokenStore {
  readonly #tokens = new Map<string, Map<string, Token>>();
  readonly #old = new Map<string, string[]>();
  readonly #forgotten = new Map<string, number>();

  constructor(
    readonly writer: Writer,
    readonly sealer: Sealer,
    /** Logs are masked by it. */
    readonly masks: MaskSet,
    readonly usable: UsableCredentials,
  ) {}

  async loadAll(): Promise<void> {
    for (const row of await TokenRow.findAll())
      this.#keep(
        row.credential,
        row.key,
        parseJson(this.sealer.open(row.sealed, bound(row.credential, row.key))) as unknown as Token,
      );
  }

  get(credential: string, key: string): Token | undefined {
    return this.#tokens.get(credential)?.get(key);
  }

  /** The newest token of a credential. */
  current(credential: string): Token | undefined {
    const tokens = [...(this.#tokens.get(credential)?.values() ?? [])];
    return tokens.sort((a, b) => b.obtainedAt - a.obtainedAt)[0];
  }

  /** Counts up when the tokens of a credential are forgotten: what was asked for before that is not wanted any more. */
  forgottenTimes(credential: string): number {
    return this.#forgotten.get(credential) ?? 0;
  }

  /** Stores a token. Resolves when it is durable: before that, nobody is given it. Whoever waits for one goes on. */
  async put(credential: string, key: string, token: Token): Promise<void> {
    const sealed = this.sealer.seal(printJson(token as unknown as Json), bound(credential, key));
    const { obtainedAt, expiresAt = null } = token;
    await this.writer.write(async (transaction, unit) => {
      await TokenRow.upsert({ credential, key, sealed, obtainedAt, expiresAt }, { transaction });
      unit.after(() => this.#keep(credential, key, token));
      await this.usable.note(credential, unit);
    });
  }

  /** Forgets all tokens of a credential. */
  async forget(credential: string): Promise<void> {
    this.#forgotten.set(credential, this.forgottenTimes(credential) + 1);
    await this.writer.write((transaction) => TokenRow.destroy({ where: { credential }, transaction }));
    for (const token of this.#tokens.get(credential)?.values() ?? []) this.#retire(credential, token);
    this.#tokens.delete(credential);
  }

  #keep(credential: string, key: string, token: Token): void {
    let tokens = this.#tokens.get(credential);
    if (!tokens) this.#tokens.set(credential, (tokens = new Map()));
    const before = tokens.get(key);
    tokens.set(key, token);
    if (before && before.accessToken !== token.accessToken) this.#retire(credential, before);
    this.masks.add(secretsOfToken(token));
  }

  #retire(credential: string, token: Token): void {
    const old = [...(this.#old.get(credential) ?? []), ...secretsOfToken(token)];
    this.masks.remove(old.slice(0, -mostOld * 2));
    this.#old.set(credential, old.slice(-mostOld * 2));
  }
}

function secretsOfToken({ accessToken, refreshToken }: Token): string[] {
  return refreshToken === undefined ? [accessToken] : [accessToken, refreshToken];
}

function bound(credential: string, key: string): string {
  return `token:${credential}:${key}`;
}
