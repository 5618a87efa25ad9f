import { wholeBody } from "../http/body-pieces.js";
import type { HttpRequest } from "../http/message.js";
import { md5, sha256 } from "../values/digest.js";
import { toHex, utf8 } from "../values/encodings.js";

/** A Digest challenge (RFC 7616 section 3.3). */
export interface DigestChallenge {
  realm: string;
  nonce: string;
  opaque: string | undefined;
  algorithm: string;
  qop: string[];
  userhash: boolean;
  /** The charset that it says, if any: only UTF-8 is allowed. */
  charset: string | undefined;
}

/** So many origins are remembered for one credential. */
const mostOrigins = 100;

/**
 * What APIs challenged with last, by origin: a nonce is used on, with a count, until the API asks with another one (RFC 7616
 * section 3.4), so that a call is one request and its body goes out once.
 */
export class DigestSessions {
  readonly #byOrigin = new Map<string, { challenge: DigestChallenge; count: number }>();

  /** The challenge to use on for an URL, with the number of this use; undefined where there is none that allows it. */
  next(url: string): { challenge: DigestChallenge; count: number } | undefined {
    const known = this.#byOrigin.get(new URL(url).origin);
    if (!known) return undefined;
    known.count++;
    return known;
  }

  /** A challenge that was answered. Of those without a count, and of session keys, nothing is remembered. */
  answered(url: string, challenge: DigestChallenge): void {
    const { origin } = new URL(url);
    this.#byOrigin.delete(origin);
    if (challenge.qop.length === 0 || /-sess$/i.test(challenge.algorithm)) return;
    if (this.#byOrigin.size >= mostOrigins) this.#byOrigin.clear();
    this.#byOrigin.set(origin, { challenge, count: 1 });
  }

  /** What a response to a proof says: a nonce for the next request (section 3.5), or that the proof was refused. */
  came(url: string, status: number, info: string | string[] | undefined): void {
    const { origin } = new URL(url);
    if (status === 401) this.#byOrigin.delete(origin);
    const nonce = /\bnextnonce\s*=\s*"([^"]{1,1000})"/i.exec([info ?? ""].flat().join(", "))?.[1];
    const known = this.#byOrigin.get(origin);
    if (nonce !== undefined && known)
      this.#byOrigin.set(origin, { challenge: { ...known.challenge, nonce }, count: 0 });
  }
}

const hashes: Record<string, (data: Uint8Array) => Uint8Array> = { "SHA-256": sha256, MD5: md5 };

/** The challenges of a WWW-Authenticate field, which may hold several of several schemes. */
export function digestChallenges(field: string | string[] | undefined): DigestChallenge[] {
  const text = [field ?? []].flat().join(", ");
  const challenges: DigestChallenge[] = [];
  for (const part of text.split(/(?:^|,)\s*(?=[A-Za-z][\w-]*\s+[\w-]+\s*=)/)) {
    const scheme = /^\s*([A-Za-z][\w-]*)\s+/.exec(part);
    if (scheme?.[1]?.toLowerCase() !== "digest") continue;
    const values = new Map<string, string>();
    for (const match of part
      .slice(scheme[0].length)
      .matchAll(/([\w-]+)\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^\s,"]+))/g)) {
      values.set(
        (match[1] as string).toLowerCase(),
        match[2]?.replace(/\\(.)/g, "$1") ?? (match[3] as string),
      );
    }
    challenges.push({
      realm: values.get("realm") ?? "",
      nonce: values.get("nonce") ?? "",
      opaque: values.get("opaque"),
      algorithm: values.get("algorithm") ?? "MD5",
      qop: (values.get("qop") ?? "")
        .split(",")
        .map((text) => text.trim())
        .filter(Boolean),
      userhash: values.get("userhash")?.toLowerCase() === "true",
      charset: values.get("charset"),
    });
  }
  return challenges;
}

/** Who proves himself, with what his APIs challenged with last. */
interface DigestUser {
  user: string;
  password: string;
  sessions?: DigestSessions | undefined;
}

const base = (algorithm: string): string => algorithm.replace(/-sess$/i, "").toUpperCase();

/**
 * The Authorization field that answers a challenge (RFC 7616 section 3.4): the strongest algorithm that we know,
 * `auth` before `auth-int`. Undefined if there is no such challenge.
 */
export function answerDigest(
  request: HttpRequest,
  who: DigestUser,
  field: string | string[] | undefined,
  cnonce: string,
): string | undefined {
  const challenges = digestChallenges(field);
  const challenge = Object.keys(hashes)
    .map((algorithm) => challenges.find((item) => base(item.algorithm) === algorithm))
    .find((item) => item !== undefined);
  if (!challenge) return undefined;
  who.sessions?.answered(request.url, challenge);
  return fieldOf(request, who, { challenge, count: 1 }, cnonce);
}

/** The Authorization field by the challenge that was answered before; undefined where there is none to use on. */
export function continueDigest(request: HttpRequest, who: DigestUser, cnonce: string): string | undefined {
  const known = who.sessions?.next(request.url);
  return known && fieldOf(request, who, known, cnonce);
}

function fieldOf(
  request: HttpRequest,
  { user, password }: DigestUser,
  { challenge, count }: { challenge: DigestChallenge; count: number },
  cnonce: string,
): string {
  const { realm, nonce, opaque, algorithm, qop, userhash, charset } = challenge;
  const digest = hashes[base(algorithm)] as (data: Uint8Array) => Uint8Array;
  const hash = (data: string | Uint8Array): string =>
    toHex(digest(typeof data === "string" ? utf8(data) : data));
  const url = new URL(request.url);
  const uri = url.pathname + url.search;
  const chosen = qop.includes("auth") ? "auth" : qop.includes("auth-int") ? "auth-int" : undefined;
  const ha1 = hash(`${user}:${realm}:${password}`);
  const a1 = /-sess$/i.test(algorithm) ? hash(`${ha1}:${nonce}:${cnonce}`) : ha1;
  const a2 = hash(`${request.method}:${uri}${chosen === "auth-int" ? `:${hash(wholeBody(request))}` : ""}`);
  const nc = count.toString(16).padStart(8, "0");
  const response = chosen
    ? hash(`${a1}:${nonce}:${nc}:${cnonce}:${chosen}:${a2}`)
    : hash(`${a1}:${nonce}:${a2}`);
  const quoted = (text: string): string => `"${text.replace(/[\\"]/g, "\\$&")}"`;
  // A name beyond ASCII goes as section 3.4.4 says to an API that says that it reads UTF-8, and as it is to others.
  const extended = !userhash && charset?.toLowerCase() === "utf-8" && /[^ -~]/.test(user);
  const parts = [
    extended
      ? `username*=UTF-8''${encodeURIComponent(user).replace(/['()*]/g, (sign) => `%${sign.charCodeAt(0).toString(16).toUpperCase()}`)}`
      : `username=${quoted(userhash ? hash(`${user}:${realm}`) : user)}`,
    `realm=${quoted(realm)}`,
    `uri=${quoted(uri)}`,
    `algorithm=${algorithm}`,
    `nonce=${quoted(nonce)}`,
    ...(chosen ? [`nc=${nc}`, `cnonce=${quoted(cnonce)}`, `qop=${chosen}`] : []),
    `response=${quoted(response)}`,
    ...(opaque === undefined ? [] : [`opaque=${quoted(opaque)}`]),
    ...(userhash ? ["userhash=true"] : []),
  ];
  return `Digest ${parts.join(", ")}`;
}
