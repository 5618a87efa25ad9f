import {
  attached,
  CredentialMissing,
  CredentialWaits,
  DigestSessions,
  missingInWords,
  refusesToken,
  TransportFailure,
  wantsToken,
  type CredentialUse,
  type OAuthCredential,
  type TokenCredential,
  type Token,
  type Proof,
  type Principal,
  principalName,
  printPrincipal,
} from "@copper-kettle/core";
import type { TokenKeeper } from "../oauth/keeper.js";
import { TokenRefused } from "../oauth/responses.js";
import type { ActivityStore } from "../store/activity.js";
import type { CredentialStore, OpenCredential } from "../store/credentials.js";
import { mayUse } from "./rights.js";

/** For whom a credential is used: a run of a workflow, or a person. */
export interface User {
  by: Principal;
  run?: string;
  /** Of what is done again and again: its name, under which the use is noted once. */
  often?: string;
  /** Whose right it is that counts: a run acts in the name of who published it. Null: of nobody who is known. */
  as: Principal | null;
}

/** For how long the replaced secret is taken at once after the new one was refused, in milliseconds. */
const preferMillis = 60_000;
/** How many runs' uses are remembered, so that each is noted once. */
const mostNoted = 50_000;

/** Gives out credentials for sends: bound to their hosts, whole, with a token that holds; notes each use. */
export class CredentialUses {
  /** Until when the replaced secret of a credential goes first: the API does not know the new one yet. */
  readonly #preferReplaced = new Map<string, number>();
  readonly #noted = new Set<string>();
  /** What was challenged with, by the credential as it is now: another password begins anew. */
  readonly #sessions = new WeakMap<Proof, DigestSessions>();

  constructor(
    readonly credentials: CredentialStore,
    readonly keeper: TokenKeeper,
    readonly activity: ActivityStore,
    readonly now: () => number,
  ) {}

  /**
   * A credential, ready for a request to a URL.
   * @throws CredentialMissing, CredentialWaits, TransportFailure of kind `token`
   */
  async read(name: string, url: string, user: User): Promise<CredentialUse> {
    const open = this.credentials.get(name);
    if (!open)
      throw new CredentialMissing(
        "unknown",
        `There is no credential "${name}". Add it with: ckettle credential add ${name} --kind bearer`,
      );
    requireRight(open, user.as);
    requireHost(open, url);
    requireWhole(open);
    this.#note(open, url, user);
    const { credential } = open;
    if (credential.kind === "secret")
      throw new CredentialMissing(
        "not-allowed",
        `The credential "${name}" is a secret that deliveries are verified with; it is sent nowhere.`,
      );
    return wantsToken(credential) ? this.#token(open, credential) : this.#static(open, credential);
  }

  #static(open: OpenCredential, newest: Proof): CredentialUse {
    const { name } = open;
    const replaced = this.#replacedOf(open);
    const proofOf = (proof: Proof): Proof =>
      proof.kind === "digest" ? { ...proof, sessions: this.#sessionsOf(proof) } : proof;
    const old = replaced && !wantsToken(replaced) && replaced.kind !== "secret" ? replaced : undefined;
    const oldFirst = old !== undefined && (this.#preferReplaced.get(name) ?? 0) > this.now();
    return {
      proof: proofOf(oldFirst ? old : newest),
      accepted: () => this.credentials.noteWorked(name),
      refused: async () => {
        if (old && !oldFirst) {
          this.#preferReplaced.set(name, this.now() + preferMillis);
          return true;
        }
        this.#preferReplaced.delete(name);
        await this.#refusal(open);
        return false;
      },
    };
  }

  #sessionsOf(proof: Proof): DigestSessions {
    let sessions = this.#sessions.get(proof);
    if (!sessions) this.#sessions.set(proof, (sessions = new DigestSessions()));
    return sessions;
  }

  async #token(open: OpenCredential, credential: TokenCredential): Promise<CredentialUse> {
    const { name } = open;
    const token = await this.#ask(open, credential);
    return {
      ...(credential.kind === "login"
        ? {
            proof: attached(credential, token.accessToken),
            refusedBy: (response) => refusesToken(credential, response),
          }
        : { proof: bearerOf(credential, token) }),
      accepted: () => this.credentials.noteWorked(name),
      refused: async () => {
        if (this.keeper.renew(name, credential, token.accessToken)) return true;
        await this.#refusal(open);
        return false;
      },
    };
  }

  /** A token; where the new secret of the client is not taken yet, by the one that it replaced. */
  async #ask(open: OpenCredential, credential: TokenCredential) {
    const seen = this.credentials.usable.times(open.name);
    try {
      return await this.keeper.token(open.name, credential);
    } catch (error) {
      if (!(error instanceof TokenRefused)) throw error;
      const replaced = this.#replacedOf(open);
      const isClient = error.explanation.code === "wrong-client-secret";
      if (isClient && credential.kind === "oauth2" && replaced?.kind === "oauth2") {
        const old = { ...credential, ...secretsOf(replaced) };
        const token = await this.keeper.askNow(open.name, old).catch(() => undefined);
        if (token) return token;
      }
      if (error.explanation.signIn) throw new CredentialWaits(open.name, error.message, seen);
      if (error.explanation.passing)
        throw new TransportFailure("token", `No token for "${open.name}": ${error.message}`, false);
      throw new CredentialMissing("no-token", `No token for "${open.name}": ${error.message}`, {
        cause: error,
      });
    }
  }

  #replacedOf({ replaced }: OpenCredential) {
    return replaced && replaced.until > this.now() ? replaced.credential : undefined;
  }

  async #refusal({ name, fault }: OpenCredential): Promise<void> {
    if (fault) return;
    const sentence = "The last call with it was refused (401). Check it now: that says why.";
    await this.credentials.noteFault(name, { code: "refused", sentence, at: this.now() });
  }

  /** One row a run, or a check of a person's, and credential. */
  #note({ name }: OpenCredential, url: string, { by, run, often }: User): void {
    this.credentials.noteUse(name);
    const once = run ?? often;
    if (once !== undefined) {
      const use = `${once} ${name}`;
      if (this.#noted.has(use)) return;
      if (this.#noted.size >= mostNoted) this.#noted.clear();
      this.#noted.add(use);
    }
    const detail = `for ${new URL(url).host}`;
    this.activity
      .note({ by, action: "used", kind: "credential", name, detail, ...(run === undefined ? {} : { run }) })
      .catch(() => undefined);
  }
}

function bearerOf(credential: OAuthCredential, { accessToken: token }: Token): Proof {
  const { certificate, privateKey, authority } = credential;
  const bound = credential.clientAuth === "tls_client_auth" && certificate && privateKey;
  const identity = bound ? { certificate, privateKey, ...(authority ? { authority } : {}) } : undefined;
  return { kind: "bearer", token, ...(identity ? { identity } : {}) };
}

/** Asked at each use, whatever was asked before: the text, the API or the rights may have changed since. */
function requireRight(open: OpenCredential, as: Principal | null): void {
  if (open.mayUse.length === 0) return;
  const { name, hosts } = open;
  if (!as || !mayUse(open, as))
    throw new CredentialMissing(
      "not-allowed",
      `The credential "${name}" may be used by ${open.mayUse.join(", ")} only, and not in the name of ${as ? principalName(printPrincipal(as)) : "nobody"}.`,
    );
  // Else a constant, a server or an input could send it anywhere.
  if (hosts.length === 0)
    throw new CredentialMissing(
      "no-host",
      `The credential "${name}" is for some people only but not bound to a host, so it is not sent anywhere. Bind it with --host.`,
    );
}

function requireHost({ name, hosts }: OpenCredential, url: string): void {
  const { host, hostname } = new URL(url);
  if (hosts.length > 0 && !hosts.includes(host) && !hosts.includes(hostname))
    throw new CredentialMissing(
      "not-for-this-host",
      `The credential "${name}" is bound to ${hosts.join(", ")}, and is not sent to ${host}.`,
    );
}

/** @throws CredentialMissing when parts of it are still to come */
export function requireWhole({ name, credential }: OpenCredential): void {
  const missing = missingInWords(credential);
  if (missing.length > 0)
    throw new CredentialMissing(
      "incomplete",
      `The credential "${name}" is incomplete: ${missing.join(", ")} ${missing.length === 1 ? "is" : "are"} still missing. Finish it on its page, or with ckettle credential add.`,
    );
}

function secretsOf({ clientSecret, privateKey, certificate }: OAuthCredential): Partial<OAuthCredential> {
  return {
    ...(clientSecret === undefined ? {} : { clientSecret }),
    ...(privateKey === undefined ? {} : { privateKey }),
    ...(certificate === undefined ? {} : { certificate }),
  };
}
