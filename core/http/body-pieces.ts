import type { HttpRequest } from "./message.js";

/** Bytes that come in pieces, never whole in memory; they can be read again, for a call that is repeated. */
export interface BodyPieces {
  /** How many bytes they are. */
  size: number;
  pieces(): AsyncIterable<Uint8Array>;
}

export const inPieces = (body: HttpRequest["body"]): body is BodyPieces =>
  typeof body === "object" && !(body instanceof Uint8Array);

/** Bytes in one. */
export function joinedBytes(parts: readonly Uint8Array[]): Uint8Array {
  const whole = new Uint8Array(parts.reduce((sum, part) => sum + part.length, 0));
  let at = 0;
  for (const part of parts) {
    whole.set(part, at);
    at += part.length;
  }
  return whole;
}

/** A request whose body is in memory: for what is computed over it, such as a signature. */
export async function wholeRequest(request: HttpRequest): Promise<HttpRequest> {
  if (!inPieces(request.body)) return request;
  const parts: Uint8Array[] = [];
  for await (const piece of request.body.pieces()) parts.push(piece);
  return { ...request, body: joinedBytes(parts) };
}

/** The body of a request that was made whole; an empty text where there is none. */
export function wholeBody({ body = "" }: HttpRequest): string | Uint8Array {
  if (inPieces(body)) throw new Error("The body has not been made whole.");
  return body;
}
