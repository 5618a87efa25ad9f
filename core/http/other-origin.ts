import type { HttpRequest } from "./message.js";

/** Which parts of a request hold a secret of whoever wrote it. */
export interface SecretParts {
  header(name: string, value: string): boolean;
  body: boolean;
}

export const noSecrets: SecretParts = { header: () => false, body: false };

export function sameOrigin(one: string, other: string): boolean {
  return new URL(one).origin === new URL(other).origin;
}

const ofOneOrigin = /^(authorization|proxy-authorization|cookie)$/i;

/**
 * A request that goes on to another place (RFC 9110 section 15.4): to another origin without Authorization, Cookie and
 * whatever header holds a secret. Undefined if its body holds one, which cannot be left out.
 */
export function movedTo(request: HttpRequest, url: string, secrets: SecretParts): HttpRequest | undefined {
  if (sameOrigin(request.url, url)) return { ...request, url };
  if (request.body !== undefined && secrets.body) return undefined;
  const headers = request.headers.filter(
    ([name, value]) => !ofOneOrigin.test(name) && !secrets.header(name, value),
  );
  return { ...request, url, headers };
}

/** The same request as one that only looks: GET, and nothing that describes a body. */
export function asLook({ body: _body, ...request }: HttpRequest): HttpRequest {
  const headers = request.headers.filter(([name]) => !/^content-/i.test(name));
  return { ...request, method: "GET", headers };
}
