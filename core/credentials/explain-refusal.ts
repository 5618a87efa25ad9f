import type { ResponseHeaders } from "../http/message.js";
import { saidIn } from "../http/said.js";
import { httpDate } from "../http/retry-after.js";
import { printForPeople } from "../values/durations.js";
import { printJson, type Json } from "../values/json.js";
import type { TransportFailure } from "../http/message.js";
import { describeCredential, type Credential, type ShownPart } from "./credential.js";
import type { Token } from "./oauth.js";

/** What a response to an authorized request means, in plain words. `code` is stable. */
export interface Refusal {
  code:
    | "accepted"
    | "prefix-missing"
    | "prefix-doubled"
    | "wrong-place"
    | "other-scheme"
    | "unknown-key"
    | "expired"
    | "scope-missing"
    | "not-allowed"
    | "clock-off"
    | "used-twice"
    | "other-resource"
    | "certificate-expired"
    | "certificate-wanted"
    | "certificate-refused"
    | "not-found"
    | "other";
  sentence: string;
}

/** A clock that is further off than this many milliseconds spoils signatures and tokens. */
const clockTolerance = 60_000;

/** The authentication schemes that a WWW-Authenticate field asks for, in lower case (RFC 9110 section 11.6.1). */
function schemesOf(field: string | string[] | undefined): string[] {
  const text = [field ?? []].flat().join(", ");
  return [...text.matchAll(/(?:^|,)\s*([A-Za-z][\w-]*)(?=\s+[\w-]+\s*=|\s*(?:,|$))/g)].map((match) =>
    (match[1] as string).toLowerCase(),
  );
}

/** A parameter of a challenge, such as `error` or `scope` (RFC 6750 section 3). */
function parameterOf(field: string | string[] | undefined, name: string): string | undefined {
  return new RegExp(`\\b${name}\\s*=\\s*"([^"]*)"`, "i").exec([field ?? []].flat().join(", "))?.[1];
}

/** What the response itself says, as one line. */
export function wordsOf(body: Json): string {
  const line = (saidIn(body) ?? (typeof body === "string" ? body : body === null ? "" : printJson(body)))
    .replace(/\s+/g, " ")
    .trim();
  return line.length > 300 ? `${line.slice(0, 300)}…` : line;
}

/**
 * Explains what came back for a request with a credential.
 * @param now milliseconds since 1970, by our clock
 * @param shown what was sent, masked
 * @param token the token that was sent, of an oauth2 credential
 */
export function explainRefusal(
  credential: Credential,
  answer: { status: number; headers: ResponseHeaders; body: Json },
  now: number,
  shown: readonly ShownPart[] = describeCredential(credential),
  token?: Token,
): Refusal {
  const { status, headers, body } = answer;
  const words = wordsOf(body);
  const quote = words ? ` It says: ${words}` : "";
  const sent = shown.map((part) => `${part.place} ${part.name}: ${part.value}`).join(", ");
  const result = (code: Refusal["code"], sentence: string): Refusal => ({
    code,
    sentence: `${sentence}${quote}`,
  });
  if (status < 400) return { code: "accepted", sentence: `Accepted (status ${status}). We sent ${sent}.` };
  if (status !== 401 && status !== 403) {
    if (status === 404)
      return result(
        "not-found",
        "The address does not exist (404), so this says nothing about the credential. Check it against another address.",
      );
    return result("other", `The status is ${status}, which says nothing about the credential.`);
  }
  const challenge = headers["www-authenticate"];
  const date = typeof headers["date"] === "string" ? httpDate(headers["date"], now) : undefined;
  const off = date === undefined ? 0 : now - date;
  if (
    Math.abs(off) > clockTolerance &&
    (credential.kind === "signed" || /time|clock|expired|stale|nonce/i.test(words))
  ) {
    return result(
      "clock-off",
      `This machine's clock is ${printForPeople(Math.abs(off))} ${off > 0 ? "ahead of" : "behind"} the API's; correct it.`,
    );
  }
  if (/nonce|replay/i.test(words) && /used|twice|replay|again/i.test(words)) {
    return result(
      "used-twice",
      "The API has seen this nonce before. Each call needs a new one: use nonce or time in the scheme.",
    );
  }
  return (
    prefixFault(credential, challenge, words, result) ??
    resourceFault(credential, challenge, words, result, token) ??
    scopeFault(status, challenge, words, result) ??
    placeFault(credential, challenge, words, sent, result) ??
    result("unknown-key", `The API does not accept this ${nounOf(credential)}. We sent ${sent}.`)
  );
}

/** A token that was made for another API than the one that it was sent to (RFC 6750 section 3.1, RFC 9068 section 4). */
function resourceFault(
  credential: Credential,
  challenge: string | string[] | undefined,
  words: string,
  result: Make,
  token: Token | undefined,
): Refusal | undefined {
  if (credential.kind !== "oauth2") return undefined;
  const all = `${words} ${parameterOf(challenge, "error_description") ?? ""}`;
  if (!/audience|another resource|other resource|not (meant|intended) for/i.test(all)) return undefined;
  const audience = [token?.claims?.["aud"] ?? []].flat().join(", ");
  return result(
    "other-resource",
    `The token is valid, but for another API${audience ? `: ${audience}` : ""}. Set the audience or the resource that this API's documentation names${credential.audience || credential.resource ? "; the credential asks for another" : "; the credential asks for none"}.`,
  );
}

/** What a failed connection says about certificates; undefined if it is about something else. */
export function explainTls(failure: TransportFailure, { kind }: Credential): Refusal | undefined {
  const { message } = failure;
  switch (failure.certificate) {
    case "ours-expired":
      return { code: "certificate-expired", sentence: `${message} Give the credential a new certificate.` };
    case "ours-wanted":
      return {
        code: "certificate-wanted",
        sentence: `${message} This credential has none. Use the kind mutual-tls.`,
      };
    case "ours-unknown":
    case "ours-refused":
      return {
        code: "certificate-refused",
        sentence: `${message} It is from an authority that the server does not trust, or belongs to another environment.`,
      };
  }
  if (kind === "mutual-tls" && failure.kind === "cut")
    return {
      code: "certificate-refused",
      sentence: `${message} Many servers refuse a client certificate without an explanation. Is it from an authority that the server trusts?`,
    };
  return undefined;
}

function nounOf({ kind }: Credential): string {
  if (kind === "login")
    return "token, also not one that was just obtained by a login: the user may not do this, or it belongs elsewhere in the request";
  if (kind === "oauth2")
    return "token: it was revoked, or made by another authorization server than this API trusts";
  const what =
    kind === "basic" || kind === "digest"
      ? "user and password"
      : kind === "mutual-tls"
        ? "certificate"
        : "key";
  return `${what}: it was mistyped, belongs to another account or environment, or was replaced`;
}

type Make = (code: Refusal["code"], sentence: string) => Refusal;

function prefixFault(
  credential: Credential,
  challenge: string | string[] | undefined,
  words: string,
  result: Make,
): Refusal | undefined {
  const secret =
    credential.kind === "bearer"
      ? credential.token
      : credential.kind === "api-key"
        ? (credential.parts[0]?.secret ?? "")
        : "";
  if (/^(bearer|token|basic)\s/i.test(secret) || /\b(twice|doubled|bearer bearer)\b/i.test(words)) {
    return result(
      "prefix-doubled",
      "The prefix is sent twice, because the secret contains it too. Save the secret without the prefix.",
    );
  }
  const [part] = credential.kind === "api-key" ? credential.parts : [];
  const bare =
    part?.place === "header" && part.name.toLowerCase() === "authorization" && part.prefix.trim() === "";
  if (bare && (schemesOf(challenge).includes("bearer") || /bearer|begin with|prefix/i.test(words))) {
    return result(
      "prefix-missing",
      'The prefix is missing: the header must begin with "Bearer ". Use the kind bearer, or give the part the prefix Bearer.',
    );
  }
  return undefined;
}

function scopeFault(
  status: number,
  challenge: string | string[] | undefined,
  words: string,
  result: Make,
): Refusal | undefined {
  const error = parameterOf(challenge, "error");
  if (error === "insufficient_scope" || /insufficient.scope/i.test(words)) {
    const scope = parameterOf(challenge, "scope");
    return result(
      "scope-missing",
      `The key is valid, but lacks a permission${scope ? `: ${scope}` : ""}. Whoever issued the key can add it.`,
    );
  }
  if (/expired/i.test(words) || /expired/i.test(parameterOf(challenge, "error_description") ?? "")) {
    return result("expired", "The key has expired; get a new one and replace it.");
  }
  if (status === 403)
    return result("not-allowed", "The API knows the key, but the key is not allowed to do this (403).");
  return undefined;
}

function placeFault(
  credential: Credential,
  challenge: string | string[] | undefined,
  words: string,
  sent: string,
  result: Make,
): Refusal | undefined {
  const schemes = schemesOf(challenge);
  const ours =
    credential.kind === "bearer" || credential.kind === "oauth2"
      ? "bearer"
      : credential.kind === "basic"
        ? "basic"
        : credential.kind === "digest"
          ? "digest"
          : undefined;
  if (ours && schemes.length > 0 && !schemes.includes(ours)) {
    return result("other-scheme", `The API expects ${schemes.join(" or ")}, but this credential is ${ours}.`);
  }
  if (/\b(missing|required|no (?:api[- ]?)?key|not (?:given|present|provided|found))\b/i.test(words)) {
    return result(
      "wrong-place",
      `The API did not find the key. We sent ${sent}. Its documentation says where the key belongs.`,
    );
  }
  return undefined;
}
