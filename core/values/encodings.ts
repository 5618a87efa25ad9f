const alphabet = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
const encoder = new TextEncoder();
const decoder = new TextDecoder("utf-8", { fatal: true });

export function utf8(text: string): Uint8Array {
  return encoder.encode(text);
}

/** @throws TypeError when the bytes are not UTF-8 */
export function fromUtf8(bytes: Uint8Array): string {
  return decoder.decode(bytes);
}

/** Base64 with padding (RFC 4648 section 4). */
export function toBase64(bytes: Uint8Array): string {
  let text = "";
  for (let at = 0; at < bytes.length; at += 3) {
    const b0 = bytes[at] as number;
    const b1 = bytes[at + 1];
    const b2 = bytes[at + 2];
    text += alphabet[b0 >> 2];
    text += alphabet[((b0 & 3) << 4) | ((b1 ?? 0) >> 4)];
    text += b1 === undefined ? "=" : alphabet[((b1 & 15) << 2) | ((b2 ?? 0) >> 6)];
    text += b2 === undefined ? "=" : alphabet[b2 & 63];
  }
  return text;
}

/** Base64 with the URL-safe alphabet and without padding (RFC 4648 section 5). */
export function toBase64Url(bytes: Uint8Array): string {
  return toBase64(bytes).replaceAll("+", "-").replaceAll("/", "_").replaceAll("=", "");
}

const base64Text = /^[A-Za-z0-9+/]*={0,2}$/;

/** Reads Base64, of either alphabet and with or without padding. Undefined when the text is not Base64. */
export function fromBase64(text: string): Uint8Array | undefined {
  const plain = text.replaceAll("-", "+").replaceAll("_", "/").replace(/=+$/, "");
  if (!base64Text.test(plain) || plain.length % 4 === 1) return undefined;
  const bytes = new Uint8Array(Math.floor((plain.length * 3) / 4));
  let bits = 0;
  let held = 0;
  let at = 0;
  for (const character of plain) {
    held = (held << 6) | alphabet.indexOf(character);
    bits += 6;
    if (bits >= 8) {
      bits -= 8;
      bytes[at++] = (held >> bits) & 255;
    }
  }
  return bytes;
}

/** Bytes from hexadecimal digits in small letters; undefined for what is none. */
export function fromHex(text: string): Uint8Array | undefined {
  if (text.length % 2 !== 0 || !/^[0-9a-f]*$/.test(text)) return undefined;
  return Uint8Array.from({ length: text.length / 2 }, (_, at) =>
    parseInt(text.slice(2 * at, 2 * at + 2), 16),
  );
}

export function toHex(bytes: Uint8Array): string {
  let text = "";
  for (const byte of bytes) text += byte.toString(16).padStart(2, "0");
  return text;
}

/** Percent-encodes all but unreserved characters (RFC 3986 section 2.3), as one path part or query value. */
export function percentEncode(text: string): string {
  return encodeURIComponent(text.toWellFormed()).replace(
    /[!'()*]/g,
    (character) => `%${character.charCodeAt(0).toString(16).toUpperCase()}`,
  );
}
