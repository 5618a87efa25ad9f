import * as digest from "../../values/digest.js";
import { fromBase64, percentEncode, toBase64, toBase64Url, toHex, utf8 } from "../../values/encodings.js";
import { CallFailure, type CallContext, type FunctionEntry } from "./entry.js";
import type { Value } from "../values.js";

const data = { name: "data", kinds: ["text", "bytes"] as const };

function bytesOf(value: Value | undefined, context: CallContext): Uint8Array {
  const bytes = typeof value === "string" ? utf8(value) : (value as Uint8Array);
  context.step(bytes.length);
  return bytes;
}

function hash(
  name: string,
  title: string,
  compute: (bytes: Uint8Array) => Uint8Array,
  example: [string, string],
): FunctionEntry {
  return {
    name,
    form: "function",
    parameters: [data],
    result: "bytes",
    help: `The ${title} digest, as bytes; hex(…) or base64.encode(…) turns it into text.`,
    examples: [example, [`size(${name}("x"))`, String(compute(utf8("x")).length)]],
    call: ([value], context) => compute(bytesOf(value, context)),
  };
}

function hmac(
  name: string,
  title: string,
  compute: (key: Uint8Array, bytes: Uint8Array) => Uint8Array,
  example: [string, string],
): FunctionEntry {
  return {
    name,
    form: "function",
    parameters: [{ name: "key", kinds: ["text", "bytes"] }, data],
    result: "bytes",
    help: `The HMAC (RFC 2104) with ${title}, as bytes: first the key, then the data.`,
    examples: [example, [`size(${name}("k", "x"))`, String(compute(utf8("k"), utf8("x")).length)]],
    call: ([key, value], context) => compute(bytesOf(key, context), bytesOf(value, context)),
  };
}

function encoder(
  name: string,
  help: string,
  examples: FunctionEntry["examples"],
  encode: (bytes: Uint8Array) => string,
): FunctionEntry {
  return {
    name,
    form: "function",
    parameters: [data],
    result: "text",
    help,
    examples,
    call([value], context) {
      const text = encode(bytesOf(value, context));
      context.make(text.length);
      return text;
    },
  };
}

function decoder(name: string): FunctionEntry {
  return {
    name,
    form: "function",
    parameters: [{ name: "text", kinds: ["text"] }],
    result: "bytes",
    help: "The bytes of a Base64 text (either alphabet, with or without padding); string(…) makes a text of them.",
    examples: [
      [`string(${name}("eyJhIjoxfQ"))`, '"{\\"a\\":1}"'],
      [`size(${name}("AAAA"))`, "3"],
    ],
    call([value], context) {
      context.make((value as string).length);
      const bytes = fromBase64(value as string);
      if (!bytes) throw new CallFailure("bad-value", "the text is not Base64.", 0);
      return bytes;
    },
  };
}

export const encodingFunctions: FunctionEntry[] = [
  hash("sha256", "SHA-256", digest.sha256, [
    'base64.encode(sha256(""))',
    '"47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU="',
  ]),
  hash("sha1", "SHA-1", digest.sha1, ['hex(sha1("abc"))', '"a9993e364706816aba3e25717850c26c9cd0d89d"']),
  hash("md5", "MD5", digest.md5, ['hex(md5("abc"))', '"900150983cd24fb0d6963f7d28e17f72"']),
  hmac("hmacSha256", "SHA-256", digest.hmacSha256, [
    'base64.encode(hmacSha256("s3cr3t", "GET\\n/tanks/eyrie\\n1700000000\\n7f3c\\n47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU="))',
    '"L7oXwH/EijO4sWTaptowEgA0pfYrMLk6KFfbQHdCTJc="',
  ]),
  hmac("hmacSha1", "SHA-1", digest.hmacSha1, [
    'hex(hmacSha1("Jefe", "what do ya want for nothing?"))',
    '"effcdf6ae5eb2fa2d27416d5f184df9c259a7c79"',
  ]),
  hmac("hmacSha512", "SHA-512", digest.hmacSha512, [
    'hex(hmacSha512("Jefe", "what do ya want for nothing?")).substring(0, 16)',
    '"164b7a7bfcf819e2"',
  ]),
  encoder(
    "hex",
    "Bytes, or the UTF-8 bytes of a text, as hexadecimal digits.",
    [
      ['hex("hut")', '"687574"'],
      ['hex(b"\\x00\\xff")', '"00ff"'],
    ],
    toHex,
  ),
  encoder(
    "base64.encode",
    "Bytes, or the UTF-8 bytes of a text, in Base64 (RFC 4648).",
    [
      ['base64.encode("{\\"a\\":1}")', '"eyJhIjoxfQ=="'],
      ['base64.encode("")', '""'],
    ],
    toBase64,
  ),
  decoder("base64.decode"),
  encoder(
    "base64url.encode",
    "The same in the alphabet that is safe in URLs, without padding.",
    [
      ['base64url.encode("{\\"a\\":1}")', '"eyJhIjoxfQ"'],
      ['base64url.encode(b"\\xff\\xfe")', '"__4"'],
    ],
    toBase64Url,
  ),
  decoder("base64url.decode"),
  {
    name: "urlEncode",
    form: "both",
    parameters: [{ name: "text", kinds: ["text", "number", "boolean"] }],
    result: "text",
    help: "The text percent-encoded (RFC 3986), as one path part or query value. Templates in a URL do this by themselves.",
    examples: [
      ['urlEncode("Café & Co/7")', '"Caf%C3%A9%20%26%20Co%2F7"'],
      ['"a b".urlEncode()', '"a%20b"'],
    ],
    call([value], context) {
      const text = percentEncode(String(value));
      context.make(text.length);
      return text;
    },
  },
  {
    name: "urlDecode",
    form: "both",
    parameters: [{ name: "text", kinds: ["text"] }],
    result: "text",
    help: "The text without percent-encoding.",
    examples: [
      ['urlDecode("Caf%C3%A9")', '"Café"'],
      ['"a%20b".urlDecode()', '"a b"'],
    ],
    call([value], context) {
      context.make((value as string).length);
      try {
        return decodeURIComponent(value as string);
      } catch {
        throw new CallFailure("bad-value", "the text is not percent-encoded UTF-8.", 0);
      }
    },
  },
];
