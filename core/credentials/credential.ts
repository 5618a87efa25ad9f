import type { HttpRequest } from "../http/message.js";
import { withQuery } from "../http/build.js";
import { percentEncode } from "../values/encodings.js";
import { mask } from "../values/masking.js";

/** Where a part of a key stands in a request (OpenAPI 3.1, Security Scheme Object, `in`). */
export type KeyPlace = "header" | "query" | "cookie";

export interface KeyPart {
  place: KeyPlace;
  /** The name of the header, query parameter or cookie. */
  name: string;
  /** Stands before the secret and is none: `Bearer `, `Token `. */
  prefix: string;
  /** The secret itself. */
  secret: string;
}

/** How calls prove who they are. Kinds are named as in OpenAPI security schemes. */
export type Credential = { kind: "api-key"; parts: KeyPart[] } | { kind: "bearer"; token: string };

/** The secrets of a credential. */
export function secretsOf(credential: Credential): string[] {
  return credential.kind === "bearer" ? [credential.token] : credential.parts.map((part) => part.secret);
}

export interface Authorized {
  request: HttpRequest;
  /** What was added, with the secrets masked; for people and for the journal. */
  shown: { place: KeyPlace; name: string; value: string }[];
}

/** Adds a credential to a request (for `bearer` as RFC 6750 section 2.1 has it). The request given is not changed. */
export function authorize(request: HttpRequest, credential: Credential): Authorized {
  const parts: KeyPart[] =
    credential.kind === "bearer"
      ? [{ place: "header", name: "Authorization", prefix: "Bearer ", secret: credential.token }]
      : credential.parts;
  const authorized: HttpRequest = { ...request, headers: [...request.headers] };
  for (const part of parts) place(authorized, part);
  return {
    request: authorized,
    shown: parts.map((part) => ({ place: part.place, name: part.name, value: `${part.prefix}${mask}` })),
  };
}

function place(request: HttpRequest, part: KeyPart): void {
  const value = `${part.prefix}${part.secret}`;
  switch (part.place) {
    case "header":
      request.headers = request.headers.filter(([name]) => name.toLowerCase() !== part.name.toLowerCase());
      request.headers.push([part.name, value]);
      return;
    case "query":
      request.url = withQuery(request.url, { [part.name]: value });
      return;
    case "cookie": {
      const cookie = `${part.name}=${percentEncode(value)}`;
      const known = request.headers.find(([name]) => name.toLowerCase() === "cookie");
      request.headers = request.headers.filter(([name]) => name.toLowerCase() !== "cookie");
      request.headers.push(["Cookie", known ? `${known[1]}; ${cookie}` : cookie]);
    }
  }
}
