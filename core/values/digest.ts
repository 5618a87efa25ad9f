import { md5 as md5Bytes, sha1 as sha1Bytes } from "@noble/hashes/legacy.js";
import { hmac } from "@noble/hashes/hmac.js";
import { sha256 as sha256Bytes, sha512 as sha512Bytes } from "@noble/hashes/sha2.js";
import { toHex, utf8 } from "./encodings.js";

export const sha256 = (data: Uint8Array): Uint8Array => sha256Bytes(data);
export const sha1 = (data: Uint8Array): Uint8Array => sha1Bytes(data);
export const md5 = (data: Uint8Array): Uint8Array => md5Bytes(data);
export const hmacSha256 = (key: Uint8Array, data: Uint8Array): Uint8Array => hmac(sha256Bytes, key, data);
export const hmacSha1 = (key: Uint8Array, data: Uint8Array): Uint8Array => hmac(sha1Bytes, key, data);
export const hmacSha512 = (key: Uint8Array, data: Uint8Array): Uint8Array => hmac(sha512Bytes, key, data);

/** SHA-256 of a text's UTF-8 bytes, as lower-case hex. */
export function sha256Hex(text: string): string {
  return toHex(sha256Bytes(utf8(text)));
}

/**
 * A UUID that depends on its parts alone: version 8 (RFC 9562 section 5.8), from SHA-256 over the parts.
 * Used where a replay must give the same id again.
 */
export function derivedUuid(...parts: readonly (string | number)[]): string {
  const hex = sha256Hex(JSON.stringify(parts));
  const variant = ((parseInt(hex[16] as string, 16) & 3) | 8).toString(16);
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-8${hex.slice(13, 16)}-${variant}${hex.slice(17, 20)}-${hex.slice(20, 32)}`;
}

/** A number from 0 up to (not with) 1 that depends on its parts alone. */
export function derivedFraction(...parts: readonly (string | number)[]): number {
  return parseInt(sha256Hex(JSON.stringify(parts)).slice(0, 13), 16) / 2 ** 52;
}
