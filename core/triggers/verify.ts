import { joinedBytes } from "../http/body-pieces.js";
import { hmacSha256 } from "../values/digest.js";
import { fromBase64, fromHex, toBase64, toHex, utf8 } from "../values/encodings.js";

/** How a signature over a delivery is made and where it stands. */
export interface HmacRule {
  /** The header with the signature, in small letters. */
  header: string;
  /** What it holds, such as `sha256={hex}` or `t={timestamp},v1={hex}`. */
  value: string;
  /** What is signed, such as `${timestamp}.${body}`. */
  base: string;
  /** The header with the time, in small letters, where it is not in the other one. */
  timestamp?: string;
  /** How old a delivery may be, in milliseconds. */
  within: number;
}

/** A delivery as it came: names of headers in small letters, the bytes of its body as they are. */
export interface Delivery {
  headers: Readonly<Record<string, string | undefined>>;
  body: Uint8Array;
}

/** Whether a delivery is from who it says; else exactly why it is not. The sender is never told. */
export type Verdict = { ok: true } | { ok: false; reason: string };

const good: Verdict = { ok: true };
const bad = (reason: string): Verdict => ({ ok: false, reason });

/** What Standard Webhooks sign: `id.timestamp.body`, in Base64, within five minutes. */
const standard = { id: "webhook-id", timestamp: "webhook-timestamp", signature: "webhook-signature" };

/**
 * Verifies a delivery by Standard Webhooks 1.0 (HMAC-SHA-256, `v1`). Any of several signatures, and any of several
 * secrets, may fit.
 * @param secrets as people paste them: `whsec_…`, hex, Base64 or a text
 * @param now milliseconds since 1970
 */
export function verifyStandard(
  { headers, body }: Delivery,
  secrets: readonly string[],
  now: number,
): Verdict {
  for (const name of Object.values(standard))
    if (!headers[name]) return bad(`The header ${name} is missing.`);
  const stale = staleness(headers[standard.timestamp] as string, 300_000, now);
  if (stale) return bad(stale);
  const base = joinedBytes([utf8(`${headers[standard.id]}.${headers[standard.timestamp]}.`), body]);
  const given = (headers[standard.signature] as string)
    .split(" ")
    .flatMap((one) => (one.startsWith("v1,") ? (fromBase64(one.slice(3)) ?? []) : []));
  if (given.length === 0) return bad(`The header ${standard.signature} holds no signature v1.`);
  return fits(given, secrets, base);
}

/**
 * Verifies a delivery by HMAC-SHA-256 (RFC 2104) over what the rule says, as raw bytes. Any of several signatures, and
 * any of several secrets, may fit.
 * @param now milliseconds since 1970
 */
export function verifyHmac(
  { headers, body }: Delivery,
  rule: HmacRule,
  secrets: readonly string[],
  now: number,
): Verdict {
  const held = headers[rule.header];
  if (!held) return bad(`The header ${rule.header} is missing.`);
  const found = partsOf(held, rule.value);
  if (found.signatures.length === 0)
    return bad(`The header ${rule.header} does not look like ${rule.value}: it is ${held.slice(0, 100)}`);
  const stamped = rule.base.includes("${timestamp}");
  const timestamp = rule.timestamp === undefined ? found.timestamp : headers[rule.timestamp];
  if (stamped && !timestamp)
    return bad(
      rule.timestamp === undefined
        ? `The header ${rule.header} holds no time.`
        : `The header ${rule.timestamp} is missing.`,
    );
  // A time that is not signed proves nothing.
  const stale = stamped ? staleness(timestamp as string, rule.within, now) : undefined;
  if (stale) return bad(stale);
  const base = joinedBytes(
    rule.base
      .split(/(\$\{(?:timestamp|body)\})/)
      .map((part) => (part === "${body}" ? body : utf8(part === "${timestamp}" ? (timestamp ?? "") : part))),
  );
  return fits(found.signatures, secrets, base);
}

/** The signatures and the time that a header holds, by its form. */
function partsOf(held: string, form: string): { signatures: Uint8Array[]; timestamp: string | undefined } {
  const forms = form.split(",").map((part) => part.trim());
  const signatures: Uint8Array[] = [];
  let timestamp: string | undefined;
  for (const item of (forms.length > 1 ? held.split(",") : [held]).slice(0, 20).map((part) => part.trim()))
    for (const one of forms) {
      const [, before = "", what, after = ""] = /^(.*)\{(hex|base64|timestamp)\}(.*)$/.exec(one) ?? [];
      if (!item.startsWith(before) || !item.endsWith(after)) continue;
      const text = item.slice(before.length, item.length - after.length);
      if (what === "timestamp" && /^\d{1,16}$/.test(text)) timestamp ??= text;
      const bytes =
        what === "hex" ? fromHex(text.toLowerCase()) : what === "base64" ? fromBase64(text) : undefined;
      if (bytes && bytes.length > 0) signatures.push(bytes);
    }
  return { signatures, timestamp };
}

/** Why a time is too far from now; seconds or milliseconds since 1970. */
function staleness(text: string, within: number, now: number): string | undefined {
  if (!/^\d{1,16}$/.test(text)) return `The time "${text.slice(0, 40)}" is no number of seconds since 1970.`;
  const at = text.length > 11 ? Number(text) : Number(text) * 1_000;
  const age = Math.round((now - at) / 1_000);
  if (Math.abs(now - at) <= within) return undefined;
  return age > 0
    ? `It was signed ${age} s ago, and may be ${within / 1_000} s old.`
    : `It was signed ${-age} s ahead of our clock.`;
}

function fits(given: readonly Uint8Array[], secrets: readonly string[], base: Uint8Array): Verdict {
  for (const secret of secrets)
    for (const key of keysOf(secret)) {
      const signed = hmacSha256(key, base);
      if (given.some((one) => sameBytes(one, signed))) return good;
    }
  return bad("The signature does not fit: another secret signed it, or its body was changed on the way.");
}

/** The bytes that a secret may stand for: what is behind `whsec_`, what hex or Base64 say, and its own. */
function keysOf(secret: string): Uint8Array[] {
  const bare = secret.startsWith("whsec_") ? secret.slice(6) : secret;
  const coded = [/^[0-9a-f]{32,}$/i.test(bare) ? fromHex(bare.toLowerCase()) : undefined, fromBase64(bare)];
  return [
    ...coded.filter((bytes) => bytes !== undefined && bytes.length >= 16),
    utf8(secret),
  ] as Uint8Array[];
}

/**
 * Signs a challenge of a sender that asks who we are: an HMAC-SHA-256 over it.
 * @returns undefined for what is no short challenge: it might be signed for something else
 */
export function signChallenge(
  challenge: string,
  secret: string,
): { hex: string; base64: string } | undefined {
  if (!/^[A-Za-z0-9_-]{1,128}$/.test(challenge)) return undefined;
  const signed = hmacSha256(
    secret.startsWith("whsec_") ? (keysOf(secret)[0] as Uint8Array) : utf8(secret),
    utf8(challenge),
  );
  return { hex: toHex(signed), base64: toBase64(signed) };
}

/** Compares in a time that does not depend on where they differ. */
export function sameBytes(one: Uint8Array, other: Uint8Array): boolean {
  if (one.length !== other.length) return false;
  let differs = 0;
  for (let at = 0; at < one.length; at++) differs |= (one[at] as number) ^ (other[at] as number);
  return differs === 0;
}
