import type { BodyPieces } from "./body-pieces.js";

/** An HTTP request as plain data. Header names keep the case in which they were written. */
export interface HttpRequest {
  method: string;
  url: string;
  headers: [name: string, value: string][];
  /** The body as it goes over the wire; a text stands for its UTF-8 bytes. With a file in it, it comes in pieces. */
  body?: string | Uint8Array | BodyPieces;
}

/** Header fields of a response: lower-case names, repeated fields joined by `, `; `set-cookie` as a list. */
export interface ResponseHeaders {
  [name: string]: string | string[];
}

/** What came back over the wire. */
export interface HttpResponse {
  status: number;
  headers: ResponseHeaders;
  body: Uint8Array;
  /** The URL that answered, after redirects. */
  url: string;
  /** The body was not read to its end, since no more of it was wanted. */
  partial?: true;
  /** Why there is no body although the status line and the header fields came; then `body` is empty. */
  broken?: BrokenBody;
}

/** `cut`: it broke off; `coding`: it is not in the coding that it says; `response-too-large`: more than is read. */
export interface BrokenBody {
  code: "cut" | "coding" | "response-too-large";
  message: string;
}

/** How a request failed to bring a response. `token`: it was not sent, since no token could be had for it. */
export type FailureKind = "connect" | "tls" | "dns" | "timeout" | "cut" | "token";

/**
 * What is wrong with a certificate: ours has run out, is wanted and not there, is from an authority that the server does
 * not know, or is not taken; the server's has run out, or is from an unknown authority.
 */
export type CertificateFault =
  "ours-expired" | "ours-wanted" | "ours-unknown" | "ours-refused" | "theirs-expired" | "theirs-unknown";

/** A request that brought no complete response. */
export class TransportFailure extends Error {
  override name = "TransportFailure";
  constructor(
    readonly kind: FailureKind,
    message: string,
    /** Whether a byte of the request may have been handed to the socket: if so, its fate is unknown. */
    readonly sent: boolean,
    /** Whether it was us who cut it off: a stop by hand, or the service going down. */
    readonly aborted = false,
    /** With `tls`: what is wrong with whose certificate, where that is known. */
    readonly certificate?: CertificateFault,
    /** The code of the system or library, such as `ECONNRESET`, for people who look deeper. */
    readonly detail?: string,
  ) {
    super(message);
  }
}

/**
 * What repeating does not help: an address or a body that is not allowed, so that nothing is sent, or a response that is
 * larger than what is read.
 */
export class RequestRefused extends Error {
  override name = "RequestRefused";
  constructor(
    readonly code: "address-refused" | "bad-request" | "bad-value" | "response-too-large",
    message: string,
  ) {
    super(message);
  }
}

/** The field's value in a list of header fields, by any case; the first one. */
export function headerOf(headers: readonly [string, string][], name: string): string | undefined {
  return headers.find(([field]) => field.toLowerCase() === name.toLowerCase())?.[1];
}

/** The header fields of a response as the engine keeps them. */
export function joinHeaders(
  fields: Iterable<readonly [string, string | string[] | undefined]>,
): ResponseHeaders {
  const joined: ResponseHeaders = {};
  for (const [name, value] of fields) {
    if (value === undefined) continue;
    const key = name.toLowerCase();
    const values = Array.isArray(value) ? value : [value];
    if (key === "set-cookie") joined[key] = [...((joined[key] as string[] | undefined) ?? []), ...values];
    else
      joined[key] = [joined[key] as string | undefined, ...values]
        .filter((item) => item !== undefined)
        .join(", ");
  }
  return joined;
}
