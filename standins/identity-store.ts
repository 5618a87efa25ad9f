import type { Adapter, AdapterPayload } from "oidc-provider";

interface Kept {
  payload: AdapterPayload;
  expiresAt: number;
}

/** All that the authorization server remembers, in memory, so that it can be forgotten at once. */
export class IdentityStore {
  readonly #kept = new Map<string, Kept>();

  /** @param clients the registered clients, as they are now */
  constructor(readonly clients: () => AdapterPayload[]) {}

  clear(): void {
    this.#kept.clear();
  }

  /** Revokes every grant: refresh tokens and codes hold no more, access tokens neither. */
  revoke(): void {
    for (const key of this.#kept.keys())
      if (/^(Grant|RefreshToken|AccessToken|AuthorizationCode):/.test(key)) this.#kept.delete(key);
  }

  /** The adapter of one kind of record. */
  adapter(kind: string): Adapter {
    const kept = this.#kept;
    const find = (fits: (payload: AdapterPayload) => boolean): AdapterPayload | undefined => {
      for (const [key, { payload, expiresAt }] of kept)
        if (key.startsWith(`${kind}:`) && expiresAt > Date.now() && fits(payload)) return payload;
      return undefined;
    };
    return {
      upsert: async (id, payload, expiresIn) => {
        kept.set(`${kind}:${id}`, { payload, expiresAt: Date.now() + (expiresIn || 3_600) * 1_000 });
      },
      find: async (id) => {
        if (kind === "Client") return this.clients().find((client) => client["client_id"] === id);
        const found = kept.get(`${kind}:${id}`);
        return found && found.expiresAt > Date.now() ? found.payload : undefined;
      },
      findByUid: async (uid) => find((payload) => payload.uid === uid),
      findByUserCode: async (code) => find((payload) => payload.userCode === code),
      consume: async (id) => {
        const found = kept.get(`${kind}:${id}`);
        if (found) found.payload.consumed = Math.floor(Date.now() / 1_000);
      },
      destroy: async (id) => void kept.delete(`${kind}:${id}`),
      revokeByGrantId: async (grantId) => {
        for (const [key, { payload }] of kept) if (payload.grantId === grantId) kept.delete(key);
      },
    };
  }
}
