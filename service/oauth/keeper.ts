import {
  CredentialMissing,
  CredentialWaits,
  tokenKey,
  TransportFailure,
  wantsSignIn,
  type TokenCredential,
  type OAuthCredential,
  type Token,
  type Principal,
  itself,
} from "@copper-kettle/core";
import type { Logger } from "pino";
import type { ActivityStore } from "../store/activity.js";
import type { CredentialStore } from "../store/credentials.js";
import type { TokenStore } from "../store/tokens.js";
import { Logins } from "./logins.js";
import { TokenRefused } from "./responses.js";
import type { TokenRequests } from "./requests.js";

/** For how long a refusal answers for the token endpoint, so that many runs do not ask the same thing to no end. */
const refusalMillis = 10_000;
/** A token that is refused is replaced at most this often, in milliseconds. */
const renewalMillis = 10_000;
/** A token is not used in the last moment of its life, in milliseconds. */
const lastMoment = 1_000;

export interface KeeperParts {
  requests: TokenRequests;
  logins: Logins;
  tokens: TokenStore;
  credentials: CredentialStore;
  activity: ActivityStore;
  log: Logger;
  now(): number;
}

/** Keeps tokens fresh: one request however many wait for it, and none is used before it is durable. */
export class TokenKeeper {
  readonly #asking = new Map<string, Promise<Token>>();
  readonly #refusals = new Map<string, { until: number; times: number; error: TokenRefused }>();
  readonly #renewed = new Map<string, number>();
  /** Access tokens that the authorization server refused before their end. */
  readonly #refused = new Set<string>();

  constructor(readonly parts: KeeperParts) {}

  /**
   * A token that holds.
   * @throws CredentialWaits when a person has to sign in; TokenRefused; TransportFailure of kind `token`
   */
  async token(name: string, credential: TokenCredential): Promise<Token> {
    const { tokens, now } = this.parts;
    const key = tokenKey(credential);
    const kept = tokens.get(name, key);
    const due = kept?.refreshAt !== undefined && now() >= kept.refreshAt;
    if (kept && !due && !this.#refused.has(kept.accessToken)) return kept;
    const refusal = this.#refusals.get(name + key);
    // What was refused before the credential was changed may be taken now.
    const isRefused = refusal && refusal.until > now() && refusal.times === tokens.usable.times(name);
    const error = this.#pausing(name) ?? (isRefused ? refusal.error : undefined);
    if (error) {
      if (kept && this.#holds(kept)) return kept;
      throw error;
    }
    try {
      return await this.#once(name, credential, key);
    } catch (error) {
      // It was to be replaced ahead of its end: where that fails it still serves.
      const last = tokens.get(name, key);
      if (last && this.#holds(last)) return last;
      throw error;
    }
  }

  /** Whether there is a token that holds, or one that can be refreshed. */
  isReady(name: string, credential: TokenCredential): boolean {
    const kept = this.parts.tokens.get(name, tokenKey(credential));
    return kept !== undefined && (kept.refreshToken !== undefined || this.#holds(kept));
  }

  /** A token that the authorization server refused: the next one is asked for again. False where that was done a moment ago. */
  renew(name: string, credential: TokenCredential, refused: string): boolean {
    const { tokens, now } = this.parts;
    const key = tokenKey(credential);
    if (tokens.get(name, key)?.accessToken !== refused || this.#refused.has(refused)) return true;
    // What was renewed before the credential was changed does not count.
    const { changedAt = 0 } = this.parts.credentials.get(name) ?? {};
    if ((this.#renewed.get(name + key) ?? 0) > Math.max(changedAt, now() - renewalMillis)) return false;
    this.#renewed.set(name + key, now());
    this.#refused.add(refused);
    return true;
  }

  /** Asks for a token now, whatever is stored; for a check. */
  async askNow(name: string, credential: TokenCredential): Promise<Token> {
    this.#refusals.delete(name + tokenKey(credential));
    return this.#once(name, credential, tokenKey(credential));
  }

  /** Takes in a token from a sign-in. */
  async signedIn(name: string, credential: OAuthCredential, token: Token, by: Principal): Promise<void> {
    await this.parts.tokens.put(name, tokenKey(credential), token);
    await this.parts.credentials.noteFault(name, null);
    await this.parts.activity.note({
      by,
      action: "signed in",
      kind: "credential",
      name,
      ...(token.subject === undefined ? {} : { detail: `as ${token.subject}` }),
    });
  }

  /** Why no login is tried at the moment: accounts are not to be locked. */
  #pausing(name: string): TokenRefused | undefined {
    const open = this.parts.credentials.get(name);
    if (!open || open.login.until <= this.parts.now()) return undefined;
    const until = new Date(open.login.until).toISOString();
    const why = open.login.exchange?.failure ?? "";
    return new TokenRefused({
      code: "paused",
      sentence: `The last ${open.login.failures === 1 ? "login" : `${open.login.failures} logins`} failed (${why}). None is tried before ${until}, so that the account is not locked; a check tries at once: ckettle credential check ${name}`,
      signIn: false,
      passing: false,
    });
  }

  #holds({ accessToken, expiresAt }: Token, ahead = lastMoment): boolean {
    if (this.#refused.has(accessToken)) return false;
    return expiresAt === undefined || expiresAt > this.parts.now() + ahead;
  }

  #once(name: string, credential: TokenCredential, key: string): Promise<Token> {
    const id = name + key;
    let asking = this.#asking.get(id);
    if (!asking) {
      asking = this.#obtain(name, credential, key).finally(() => this.#asking.delete(id));
      this.#asking.set(id, asking);
    }
    return asking;
  }

  async #obtain(name: string, credential: TokenCredential, key: string): Promise<Token> {
    const { tokens, credentials, activity, log } = this.parts;
    const seen = tokens.usable.times(name);
    try {
      const before = tokens.get(name, key);
      const forgotten = tokens.forgottenTimes(name);
      const token = await this.#ask(name, credential, before, seen);
      if (tokens.forgottenTimes(name) !== forgotten)
        throw new CredentialMissing(
          "forgotten",
          `The token of "${name}" was deleted, or the credential removed, while a token was requested.`,
        );
      // Durable before anybody gets it: a refresh token that was rotated must never be lost for its access token.
      await tokens.put(name, key, token);
      if (before) this.#refused.delete(before.accessToken);
      if (credential.kind === "login") credentials.noteLogin(name, { failures: 0, until: 0 });
      await credentials.noteFault(name, null);
      await activity.note({ by: itself, action: "got a token", kind: "credential", name });
      log.info({ credential: name, expiresAt: token.expiresAt }, "token got");
      return token;
    } catch (error) {
      if (error instanceof TokenRefused) await this.#noteRefusal(name, key, error);
      else if (error instanceof TransportFailure)
        log.warn({ credential: name, reason: error.message }, "no token could be had");
      throw error;
    }
  }

  async #ask(
    name: string,
    credential: TokenCredential,
    kept: Token | undefined,
    seen: number,
  ): Promise<Token> {
    const { requests, logins, credentials } = this.parts;
    if (credential.kind === "login") {
      if (!credential.scheme.renew || !kept || !this.#holds(kept, 0)) return logins.ask(name, credential);
      // What is refused a new token in this way may log in.
      return logins.ask(name, credential, kept).catch((error: unknown) => {
        if (error instanceof TokenRefused && !error.explanation.passing) return logins.ask(name, credential);
        throw error;
      });
    }
    const asksAnew = !wantsSignIn(credential);
    if (kept?.refreshToken) {
      try {
        return await requests.refresh(credential, kept);
      } catch (error) {
        if (!(error instanceof TokenRefused) || error.explanation.passing) throw error;
        const { code, signIn } = error.explanation;
        if (asksAnew && credential.grant !== "refresh-token") return requests.ask(credential);
        if (signIn) throw await this.#signInAgain(name, credential, kept, seen, error);
        // The client itself was not taken: the sign-in may still be good.
        await credentials.noteFault(name, { code, sentence: error.message, at: this.parts.now() });
        throw error;
      }
    }
    if (asksAnew) return requests.ask(credential);
    throw waits(name, seen, credentials.get(name)?.fault?.sentence);
  }

  /** The sign-in does not hold any more. A token that is still good serves until its end. */
  async #signInAgain(
    name: string,
    credential: TokenCredential,
    kept: Token,
    seen: number,
    error: TokenRefused,
  ): Promise<CredentialWaits> {
    const { tokens, credentials, activity, log, now } = this.parts;
    const { refreshToken: _lost, ...rest } = kept;
    const expiresAt = this.#refused.has(kept.accessToken) ? now() : (rest.expiresAt ?? now());
    await tokens.put(name, tokenKey(credential), { ...rest, expiresAt, refreshAt: expiresAt });
    await credentials.noteFault(name, { code: "sign-in", sentence: error.message, at: now() });
    await activity.note({
      by: itself,
      action: "sign-in lost",
      kind: "credential",
      name,
      detail: error.explanation.code,
    });
    log.warn({ credential: name, reason: error.message }, "a person has to sign in again");
    return waits(name, seen, error.message);
  }

  async #noteRefusal(name: string, key: string, error: TokenRefused): Promise<void> {
    const { credentials, tokens, log, now } = this.parts;
    const { code, passing } = error.explanation;
    const open = credentials.get(name);
    if (open?.credential.kind === "login" && !passing) {
      const failures = open.login.failures + 1;
      credentials.noteLogin(name, { failures, until: now() + Logins.pause(failures) });
    }
    log.warn({ credential: name, code, reason: error.message }, "no token was given");
    const times = tokens.usable.times(name);
    this.#refusals.set(name + key, { until: now() + refusalMillis, times, error });
    if (!passing) await credentials.noteFault(name, { code, sentence: error.message, at: now() });
  }
}

function waits(name: string, seen: number, why: string | undefined): CredentialWaits {
  return new CredentialWaits(
    name,
    `A person has to sign in with the credential "${name}": on its page, or with ckettle credential sign-in ${name}.${why ? ` ${why}` : ""}`,
    seen,
  );
}
