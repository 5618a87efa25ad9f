import type { OutputOf, routes } from "@copper-kettle/contract";
import {
  buildRequest,
  CredentialMissing,
  CredentialWaits,
  exchange,
  defaultEffect,
  explainRefusal,
  explainTls,
  finishedRequest,
  isRefusal,
  missingInWords,
  otherClientAuth,
  RequestRefused,
  SchemeFault,
  TransportFailure,
  wantsSignIn,
  wantsToken,
  type Credential,
  type LoginCredential,
  type OAuthCredential,
  type ShownPart,
  type Transport,
  type Principal,
} from "@copper-kettle/core";
import type { AsideReader } from "../outbound/aside.js";
import type { TokenKeeper } from "../oauth/keeper.js";
import { TokenRefused } from "../oauth/responses.js";
import type { TokenRequests } from "../oauth/requests.js";
import type { SignIns } from "../oauth/sign-in.js";
import { newNonce } from "../runs/ids.js";
import type { CredentialStore, OpenCredential } from "../store/credentials.js";
import type { TokenStore } from "../store/tokens.js";
import { endOf } from "./view.js";
import type { CredentialUses } from "./use.js";

type Result = OutputOf<typeof routes.checkCredential>;
type Found = { code: string; sentence: string; status?: number; sent?: ShownPart[] };

export interface CheckParts {
  credentials: CredentialStore;
  tokens: TokenStore;
  uses: CredentialUses;
  keeper: TokenKeeper;
  requests: TokenRequests;
  signIns: SignIns;
  transport: Transport;
  reader: AsideReader;
}

const timeout = { connect: 5_000, response: 15_000 };

/** Tries a credential for real, and says in plain words what happened: a token request, a reading call, or both. */
export async function checkCredential(
  parts: CheckParts,
  open: OpenCredential,
  { url, method, by }: { url?: string | undefined; method: string; by: Principal },
): Promise<Result> {
  const began = Date.now();
  const found = await tried(parts, open, url, method, by);
  return {
    ok: found.code === "accepted",
    code: found.code,
    sentence: parts.credentials.masks.text(found.sentence),
    status: found.status ?? null,
    took: Date.now() - began,
    sent: found.sent ?? [],
  };
}

async function tried(
  parts: CheckParts,
  open: OpenCredential,
  url: string | undefined,
  method: string,
  by: Principal,
): Promise<Found> {
  const { name, credential } = open;
  try {
    const missing = missingInWords(credential);
    if (missing.length > 0)
      return { code: "incomplete", sentence: `Incomplete. Missing: ${missing.join(", ")}.` };
    const { warning } = endOf(open, Date.now());
    if (warning?.days === 0 && "certificate" in credential)
      return { code: "certificate-expired", sentence: `${warning.sentence} Give the credential a new one.` };
    if (credential.kind === "oauth2" && url === undefined) return await askToken(parts, name, credential);
    if (credential.kind === "login" && url === undefined) return await logIn(parts, name, credential);
    if (credential.kind === "secret")
      return {
        code: "sent-nowhere",
        sentence:
          "Deliveries are verified with it; it is sent nowhere, so that there is nothing to check. Let the sender deliver once.",
      };
    if (url === undefined)
      return {
        code: "no-address",
        sentence: "Give a URL to test the credential against: nothing else can tell whether it is good.",
      };
    return await call(parts, open, url, method, by);
  } catch (error) {
    const refused = error instanceof CredentialMissing ? error.cause : error;
    if (
      refused instanceof TokenRefused &&
      refused.explanation.code === "wrong-client-secret" &&
      credential.kind === "oauth2"
    )
      return clientFault(parts, credential, refused);
    return failed(error, credential);
  }
}

/** One reading call, with a redirect followed as a run would. */
async function call(
  { uses, transport, tokens, reader: { read } }: CheckParts,
  open: OpenCredential,
  url: string,
  method: string,
  by: Principal,
): Promise<Found> {
  const request = await finishedRequest(buildRequest({ method, url }));
  const ports = {
    clock: { now: () => Date.now(), wait: () => Promise.resolve() },
    nonce: newNonce,
    transport,
    read,
    files: { keep: async (bytes: Uint8Array) => ({ size: bytes.length }) },
  };
  const use = await uses.read(open.name, url, { by, as: by });
  const options = { timeout, signal: new AbortController().signal, follow: "all" as const };
  let done = await exchange(ports, request, use.proof, options);
  let last = use;
  if (done.response && isRefusal(use, done.response) && (await use.refused())) {
    last = await uses.read(open.name, url, { by, as: by });
    done = await exchange(ports, request, last.proof, options);
  }
  const answer = done.response as NonNullable<typeof done.response>;
  if (answer.status < 400) last.accepted();
  const sent = done.authorization as ShownPart[];
  const { credential } = open;
  const token = wantsToken(credential) ? tokens.current(open.name) : undefined;
  const { code, sentence } = explainRefusal(credential, answer, Date.now(), sent, token);
  if (code === "accepted" && defaultEffect(method) === "reads") {
    // An address that asks nobody proves nothing.
    const bare = await exchange(ports, request, undefined, options).catch(() => undefined);
    if (bare?.response?.status === answer.status)
      return {
        code: "not-asked",
        sentence: `This address answers ${answer.status} without the credential, too, so nothing is proved. Test the credential against an address that needs one.`,
        status: answer.status,
        sent,
      };
  }
  return { code, sentence, status: answer.status, sent };
}

async function askToken(parts: CheckParts, name: string, credential: OAuthCredential): Promise<Found> {
  const { keeper, tokens } = parts;
  const kept = tokens.current(name);
  if (wantsSignIn(credential) && !kept?.refreshToken) {
    if (!keeper.isReady(name, credential)) return authorizationEndpoint(parts, credential);
    const end = kept?.expiresAt ? ` until ${timeText(kept.expiresAt)}` : "";
    const sentence = `Signed in${end}; there is no refresh token, so somebody has to sign in again after that.`;
    return { code: "accepted", sentence };
  }
  const token = await keeper.askNow(name, credential);
  const lacking = credential.scopes.filter((scope) => token.scopes && !token.scopes.includes(scope));
  const who = token.subject ? ` for ${token.subject}` : "";
  const end = token.expiresAt ? `, valid until ${timeText(token.expiresAt)}` : "";
  if (lacking.length > 0)
    return {
      code: "scope-missing",
      sentence: `A token was given${who}, but without these scopes: ${lacking.join(" ")}. The administrator of the API can add them.`,
      status: 200,
    };
  return {
    code: "accepted",
    sentence: `A token was given${who}${end}, with the scopes: ${token.scopes?.join(" ") || "none"}.`,
    status: 200,
  };
}

/** A login now, also where the last ones failed a moment ago. */
async function logIn({ keeper }: CheckParts, name: string, credential: LoginCredential): Promise<Found> {
  const { expiresAt } = await keeper.askNow(name, credential);
  const end = expiresAt === undefined ? "until it is refused" : `until ${new Date(expiresAt).toISOString()}`;
  return { code: "accepted", sentence: `The login gave a token, which is used ${end}.` };
}

/** Which of the reasons for `invalid_client` it is, which most servers do not say: tried out. */
async function clientFault(
  { requests, signIns, transport }: CheckParts,
  credential: OAuthCredential,
  refused: TokenRefused,
): Promise<Found> {
  // Not with a refresh token: it would be spent.
  const repeatable = credential.grant !== "authorization-code" && credential.grant !== "refresh-token";
  const other = repeatable ? otherClientAuth(credential) : undefined;
  if (other?.clientSecret) {
    const taken = await requests.ask(other).then(
      () => true,
      (error: unknown) => error instanceof TokenRefused && !/client/.test(error.explanation.code),
    );
    if (taken)
      return {
        code: "wrong-client-auth",
        sentence: `The client is known and its secret is right, but it must prove itself by ${other.clientAuth}, not ${credential.clientAuth}. Set the client authentication method to that.`,
      };
  }
  const { authorization_endpoint: endpoint } = await requests.server(credential);
  if (endpoint && credential.clientId) {
    const page = await authorizationPage(transport, requests, credential, signIns.redirectUri);
    if (
      page.status >= 400 &&
      /invalid_client|client is invalid|unknown client|client.{0,20}not (found|known)/i.test(page.text)
    )
      return {
        code: "unknown-client",
        sentence: `The client "${credential.clientId}" is unknown: it was mistyped, or belongs to another environment.`,
        status: page.status,
      };
    return {
      code: "wrong-client-secret",
      sentence: `The client "${credential.clientId}" is known, but its ${credential.clientAuth === "private_key_jwt" ? "key is not the one that was registered" : "secret is wrong"}.`,
    };
  }
  return { code: refused.explanation.code, sentence: refused.message };
}

/** Nobody has signed in: whether the API would take a sign-in. */
async function authorizationEndpoint(parts: CheckParts, credential: OAuthCredential): Promise<Found> {
  const { requests, signIns, transport } = parts;
  const page = await authorizationPage(transport, requests, credential, signIns.redirectUri);
  if (page.status < 400)
    return {
      code: "sign-in",
      sentence: "The API knows the client and the redirect URI. Now a person has to sign in.",
      status: page.status,
    };
  const said = page.text
    .replace(/<(style|script|head)[\s\S]*?<\/\1>|<[^>]*>/gi, " ")
    .replace(/\s+/g, " ")
    .trim()
    .slice(0, 200);
  if (/redirect/i.test(page.text))
    return {
      code: "redirect-not-registered",
      sentence: `The API does not know our redirect URI ${signIns.redirectUri}. Give its administrator the exact text of it; the request sheet has it. It says: ${said}`,
      status: page.status,
    };
  if (/invalid_client|client is invalid|client.{0,20}not (found|known)/i.test(page.text))
    return {
      code: "unknown-client",
      sentence: `The client "${credential.clientId ?? ""}" is unknown: it was mistyped, or belongs to another environment. It says: ${said}`,
      status: page.status,
    };
  return {
    code: "other",
    sentence: `The authorization endpoint sends ${page.status}. It says: ${said}`,
    status: page.status,
  };
}

async function authorizationPage(
  transport: Transport,
  requests: TokenRequests,
  credential: OAuthCredential,
  redirectUri: string,
): Promise<{ status: number; text: string }> {
  const verifier = "a-check-that-nobody-finishes-a-check-that-nobody";
  const url = await requests.authorizationUrl(credential, { state: "check", verifier, redirectUri });
  const response = await transport.send(
    { method: "GET", url, headers: [["Accept", "text/html"]] },
    { timeout, signal: new AbortController().signal, longestResponse: 1_048_576 },
  );
  const location = response.headers["location"];
  // Some servers bring the error to the redirect URI instead of showing it.
  const brought = typeof location === "string" && location.startsWith(redirectUri) ? location : "";
  const text = decodedLoosely(brought) + new TextDecoder().decode(response.body);
  const refused = /[?&]error=(?!login_required|consent_required|interaction_required)/.test(brought);
  return { status: refused ? 400 : response.status, text };
}

/** A text out of a URL; one that is encoded badly is taken as it stands. */
function decodedLoosely(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll("+", " "));
  } catch {
    return text;
  }
}

/** A time, as a sentence says it. */
const timeText = (millis: number): string =>
  `${new Date(millis).toISOString().slice(0, 19).replace("T", " ")} UTC`;

function failed(error: unknown, credential: Credential): Found {
  if (error instanceof TokenRefused) return { code: error.explanation.code, sentence: error.message };
  if (error instanceof CredentialWaits) return { code: "sign-in", sentence: error.message };
  if (error instanceof RequestRefused) return { code: error.code, sentence: error.message };
  if (error instanceof CredentialMissing && error.cause instanceof TokenRefused)
    return failed(error.cause, credential);
  if (error instanceof CredentialMissing) return { code: error.code, sentence: error.message };
  if (error instanceof SchemeFault) return { code: "bad-scheme", sentence: error.message };
  if (error instanceof TransportFailure)
    return explainTls(error, credential) ?? { code: "no-response", sentence: error.message };
  throw error;
}
