import { bounds, type Principal } from "@copper-kettle/core";
import { parseCookie, stringifySetCookie } from "cookie";
import { createHash, randomBytes } from "node:crypto";
import type { NextFunction, Request, Response } from "express";
import type { AccessStore } from "../store/access.js";
import type { AccessTokenRecord } from "../store/people-models.js";
import { HttpProblem } from "./problems.js";

const linkMillis = 10 * 60_000;
const sessionMillis = 12 * 60 * 60_000;
/** Links that nobody has used yet; the eldest goes where there are more. */
const mostLinks = 1_000;

/** Access tokens, sign-in links and sessions. Only digests are stored; what was given out is nowhere on disk. */
export class Auth {
  readonly #tokens = new Map<string, string>();
  readonly #digests = new Map<string, string>();
  readonly #sessions = new Map<string, { name: string; expiresAt: number }>();
  readonly #links = new Map<string, { name: string; expiresAt: number }>();
  /** Wrong tokens of this minute, by address. */
  readonly #wrong = new Map<string, number>();
  #wrongMinute = 0;

  constructor(
    readonly store: AccessStore,
    readonly options: {
      /** Whether people reach the console over TLS. */
      secure: boolean;
      /** The origin under which people reach the console (RFC 6454). */
      origin: string;
      /** Further names of the service, in lower case: there may be a proxy in front of them that speaks TLS. */
      names: ReadonlySet<string>;
    },
  ) {}

  async loadAll(): Promise<void> {
    for (const row of await this.store.tokens()) this.#tokens.set(row.digest, row.name);
    const now = Date.now();
    for (const row of await this.store.sessions()) {
      if (row.expiresAt > now) this.#sessions.set(row.digest, { name: row.name, expiresAt: row.expiresAt });
    }
    // On a full disk they stay; they are of no use to anybody.
    await this.store.removeSessionsBefore(now).catch(() => undefined);
  }

  get hasTokens(): boolean {
    return this.#tokens.size > 0;
  }

  /** Makes an access token; it is shown once, here. */
  async createToken(name: string): Promise<string> {
    const token = `ck_${randomBytes(24).toString("base64url")}`;
    const digest = sha256Hex(token);
    await this.store.addToken(digest, name);
    this.#tokens.set(digest, name);
    return token;
  }

  /** The names of the access tokens, and when each was made. */
  tokens(): Promise<AccessTokenRecord[]> {
    return this.store.tokens();
  }

  /**
   * Removes the access tokens of a name, and the sessions and sign-in links that were made with them: on disk first, so
   * that none comes back at the next start.
   */
  async removeToken(name: string): Promise<boolean> {
    const removed = await this.store.removeTokens(name);
    const known = [this.#tokens, this.#sessions, this.#links] as Map<string, string | { name: string }>[];
    for (const given of known)
      for (const [digest, holder] of given)
        if ((typeof holder === "string" ? holder : holder.name) === name) given.delete(digest);
    return removed;
  }

  /** A code for a sign-in link: good once, for ten minutes; who signs in with it acts under the name given. */
  createLink(name: string): { code: string; expiresAt: number } {
    const code = randomBytes(24).toString("base64url");
    const expiresAt = Date.now() + linkMillis;
    const [eldest] = this.#links.keys();
    if (eldest !== undefined && this.#links.size >= mostLinks) this.#links.delete(eldest);
    this.#links.set(sha256Hex(code), { name, expiresAt });
    return { code, expiresAt };
  }

  /** Exchanges the code of a link for a session; undefined when it is not good (any more). */
  async openSession(code: string): Promise<string | undefined> {
    const digest = sha256Hex(code);
    const link = this.#links.get(digest);
    this.#links.delete(digest);
    if (link === undefined || link.expiresAt < Date.now()) return undefined;
    const secret = randomBytes(32).toString("base64url");
    const row = {
      digest: sha256Hex(secret),
      name: link.name,
      createdAt: Date.now(),
      expiresAt: Date.now() + sessionMillis,
    };
    await this.store.addSession(row);
    this.#sessions.set(row.digest, row);
    return secret;
  }

  /** Whether a browser has a session: for pages that lead on into the console. */
  hasSession(request: Request): boolean {
    const session = this.#sessions.get(sha256Hex(this.#cookieOf(request) ?? ""));
    return session !== undefined && session.expiresAt > Date.now();
  }

  async closeSession(request: Request): Promise<void> {
    const digest = sha256Hex(this.#cookieOf(request) ?? "");
    this.#sessions.delete(digest);
    await this.store.removeSession(digest);
  }

  setCookie(response: Response, secret: string | undefined): void {
    const cookie = stringifySetCookie({
      name: this.#cookieName,
      value: secret ?? "",
      httpOnly: true,
      sameSite: "lax",
      secure: this.options.secure,
      path: "/",
      maxAge: secret === undefined ? 0 : sessionMillis / 1000,
    });
    response.append("Set-Cookie", cookie);
  }

  get #cookieName(): string {
    return this.options.secure ? "__Host-copper-kettle" : "copper-kettle";
  }

  #cookieOf(request: Request): string | undefined {
    return parseCookie(request.headers.cookie ?? "")[this.#cookieName];
  }

  /** The digest of the token in an Authorization field; programs come with the same one again and again. */
  #digestOf(field: string): string {
    let digest = this.#digests.get(field);
    if (digest === undefined) {
      digest = sha256Hex(field.replace(/^Bearer /, ""));
      if (this.#digests.size >= 100) this.#digests.clear();
      this.#digests.set(field, digest);
    }
    return digest;
  }

  /** Lets a request pass that has a good token, or a good session and, when it changes something, our own Origin. */
  readonly require = (request: Request, response: Response, next: NextFunction): void => {
    const field = request.headers.authorization;
    if (field !== undefined) {
      const name = this.#tokens.get(this.#digestOf(field));
      if (!field.startsWith("Bearer ") || name === undefined) {
        this.#noteWrong(request.ip ?? "");
        throw unauthorized("The access token is not known. Authorization must be: Bearer <token>.");
      }
      response.locals["by"] = { kind: "token", id: name } satisfies Principal;
      return next();
    }
    const secret = this.#cookieOf(request);
    const session = secret === undefined ? undefined : this.#sessions.get(sha256Hex(secret));
    if (!session || session.expiresAt < Date.now()) {
      throw unauthorized(
        "Sign in first: with an access token (Authorization: Bearer …), or in a browser with a link that `ckettle status --link` prints.",
      );
    }
    if (request.method !== "GET" && request.method !== "HEAD") this.requireOwnOrigin(request);
    response.locals["by"] = { kind: "token", id: session.name } satisfies Principal;
    next();
  };

  /**
   * Same-site does not know ports: a page on another loopback port is same-site, so the Origin must be our own.
   * @throws HttpProblem 403
   */
  requireOwnOrigin(request: Request): void {
    const { origin, names } = this.options;
    const host = (request.get("host") ?? "").toLowerCase(); // one of ours: others were refused before
    const own = [origin, `http://${host}`];
    if (isNamed(names, host)) own.push(`https://${host}`);
    if (own.includes(request.get("origin") ?? "")) return;
    throw new HttpProblem(
      403,
      "foreign-origin",
      "Not from this console",
      "A request with the console's session must come from the console's own pages (Origin).",
    );
  }

  /** Counts wrong tokens by address; whoever sends many of them has to wait. */
  #noteWrong(address: string): void {
    const minute = Math.floor(Date.now() / 60_000);
    if (minute !== this.#wrongMinute) this.#wrong.clear();
    this.#wrongMinute = minute;
    const count = (this.#wrong.get(address) ?? 0) + 1;
    if (this.#wrong.size < bounds.wrongTokens * 100) this.#wrong.set(address, count);
    if (count > bounds.wrongTokens)
      throw new HttpProblem(
        429,
        "too-many-tries",
        "Too many wrong access tokens",
        "Wait a minute, and check which token you send.",
        {},
        { "Retry-After": "60" },
      );
  }
}

/** Node's own digest: each request needs one. */
const sha256Hex = (text: string): string => createHash("sha256").update(text).digest("hex");

function unauthorized(detail: string): HttpProblem {
  return new HttpProblem(
    401,
    "unauthorized",
    "Not signed in",
    detail,
    {},
    { "WWW-Authenticate": 'Bearer realm="copper-kettle"' },
  );
}

/** Refuses a Host that is not ours: against DNS rebinding. */
export function requireHost(hosts: ReadonlySet<string>) {
  return (request: Request): void => {
    const host = (request.get("host") ?? "").toLowerCase();
    if (!isNamed(hosts, host)) {
      throw new HttpProblem(
        421,
        "unknown-host",
        "Not this service",
        `This service does not respond to the host "${host}". Add it with --host-name.`,
      );
    }
  };
}

/** Whether a host is among the names, with its port or without. */
const isNamed = (names: ReadonlySet<string>, host: string): boolean =>
  names.has(host) || names.has(host.replace(/:\d+$/, ""));
