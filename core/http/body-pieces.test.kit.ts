import { utf8 } from "../values/encodings.js";
import type { BodyPieces } from "./body-pieces.js";

/** A stored file as a test says it: the bytes of a text, one by one. */
export function piecesOf(text: string): BodyPieces {
  const bytes = utf8(text);
  return {
    size: bytes.length,
    async *pieces() {
      for (const byte of bytes) yield Uint8Array.of(byte);
    },
  };
}
