import { EventEmitter } from "node:events";
import { CredentialMissing, type OAuthCredential, wantsSignIn, type Principal } from "@copper-kettle/core";
import { generateRandomCodeVerifier, generateRandomState } from "oauth4webapi";
import type { CredentialStore } from "../store/credentials.js";
import type { TokenKeeper } from "./keeper.js";
import { TokenRefused } from "./responses.js";
import type { PendingCode, TokenRequests } from "./requests.js";

interface Pending extends PendingCode {
  name: string;
  by: Principal;
  expiresAt: number;
}

/** How a sign-in came out, for the page that the browser comes back to. */
export interface SignInResult {
  /** Missing where nothing is known of the sign-in. */
  name?: string;
  ok: boolean;
  sentence: string;
}

const pendingMillis = 15 * 60_000;
const mostPending = 1_000;

/** Sign-ins by authorization code: begun here, finished where the browser comes back to. */
export class SignIns {
  readonly events = new EventEmitter<{ done: [result: SignInResult] }>();
  readonly #pending = new Map<string, Pending>();

  constructor(
    readonly requests: TokenRequests,
    readonly keeper: TokenKeeper,
    readonly credentials: CredentialStore,
    /** The one redirect URI of this installation. */
    readonly redirectUri: string,
    readonly now: () => number,
  ) {}

  /**
   * Begins a sign-in: where the person has to go. Good once, for a quarter of an hour.
   * @throws CredentialMissing when the credential is none that wants one
   */
  async begin(name: string, by: Principal): Promise<{ url: string; expiresAt: number }> {
    const credential = this.#credential(name);
    const expiresAt = this.now() + pendingMillis;
    const pending: Pending = {
      name,
      by,
      expiresAt,
      state: generateRandomState(),
      verifier: generateRandomCodeVerifier(),
      redirectUri: this.redirectUri,
    };
    const url = await this.requests.authorizationUrl(credential, pending);
    for (const [state, { expiresAt: end }] of this.#pending)
      if (end < this.now() || this.#pending.size >= mostPending) this.#pending.delete(state);
    this.#pending.set(pending.state, pending);
    return { url, expiresAt };
  }

  /** Finishes a sign-in with what the browser brought back to the redirect URI. */
  async finish(brought: URLSearchParams): Promise<SignInResult> {
    const state = brought.get("state") ?? "";
    const pending = this.#pending.get(state);
    this.#pending.delete(state);
    if (!pending || pending.expiresAt < this.now()) {
      return {
        ok: false,
        sentence:
          "This sign-in is unknown, was finished before, or took longer than 15 minutes. Begin again from the credential's page.",
      };
    }
    const { name, by } = pending;
    const result = await this.#exchange(pending, brought).then(
      (sentence) => ({ name, ok: true, sentence }),
      async (error: unknown) => {
        if (!(error instanceof Error)) throw error;
        // A sign-in that holds still holds, whatever became of the next one.
        if (error instanceof TokenRefused && !this.keeper.isReady(name, this.#credential(name)))
          await this.credentials.noteFault(name, {
            code: error.explanation.code,
            sentence: error.message,
            at: this.now(),
          });
        return { name, ok: false, sentence: error.message };
      },
    );
    if (!result.ok) {
      const { activity } = this.keeper.parts;
      await activity.note({ by, action: "sign-in failed", kind: "credential", name });
    }
    this.events.emit("done", result);
    return result;
  }

  async #exchange(pending: Pending, brought: URLSearchParams): Promise<string> {
    const credential = this.#credential(pending.name);
    const token = await this.requests.exchangeCode(credential, brought, pending);
    await this.keeper.signedIn(pending.name, credential, token, pending.by);
    const who = token.subject ? ` as ${token.subject}` : "";
    const lasting = token.refreshToken
      ? ""
      : " The authorization server gave no refresh token, so somebody must sign in again when this token expires. It may need the scope offline_access.";
    return `${pending.name} is signed in${who}.${lasting}`;
  }

  #credential(name: string): OAuthCredential {
    const credential = this.credentials.get(name)?.credential;
    if (credential?.kind !== "oauth2" || !wantsSignIn(credential))
      throw new CredentialMissing(
        "no-sign-in",
        `"${name}" is not a credential that a person signs in with; only oauth2 with the grant authorization-code is.`,
      );
    return credential;
  }
}
