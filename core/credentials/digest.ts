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
    });
  }
  return challenges;
}

/**
 * The Authorization field that answers a challenge (RFC 7616 section 3.4): the strongest algorithm that we know,
 * `auth` before `auth-int`. Undefined if there is no such challenge. A user name beyond ASCII goes as it is: `username*`
 * (section 3.4.4) is not written.
 */
export function answerDigest(
  request: HttpRequest,
  { user, password }: { user: string; password: string },
  field: string | string[] | undefined,
  cnonce: string,
): string | undefined {
  const challenges = digestChallenges(field);
  const base = (algorithm: string): string => algorithm.replace(/-sess$/i, "").toUpperCase();
  const challenge = Object.keys(hashes)
    .map((algorithm) => challenges.find((item) => base(item.algorithm) === algorithm))
    .find((item) => item !== undefined);
  if (!challenge) return undefined;
  const { realm, nonce, opaque, algorithm, qop, userhash } = challenge;
  const digest = hashes[base(algorithm)] as (data: Uint8Array) => Uint8Array;
  const hash = (data: string | Uint8Array): string =>
    toHex(digest(typeof data === "string" ? utf8(data) : data));
  const url = new URL(request.url);
  const uri = url.pathname + url.search;
  const chosen = qop.includes("auth") ? "auth" : qop.includes("auth-int") ? "auth-int" : undefined;
  const ha1 = hash(`${user}:${realm}:${password}`);
  const a1 = /-sess$/i.test(algorithm) ? hash(`${ha1}:${nonce}:${cnonce}`) : ha1;
  const a2 = hash(`${request.method}:${uri}${chosen === "auth-int" ? `:${hash(wholeBody(request))}` : ""}`);
  const nc = "00000001";
  const response = chosen
    ? hash(`${a1}:${nonce}:${nc}:${cnonce}:${chosen}:${a2}`)
    : hash(`${a1}:${nonce}:${a2}`);
  const quoted = (text: string): string => `"${text.replace(/[\\"]/g, "\\$&")}"`;
  const parts = [
    `username=${quoted(userhash ? hash(`${user}:${realm}`) : user)}`,
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
