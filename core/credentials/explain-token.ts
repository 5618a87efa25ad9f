import { printForPeople } from "../values/durations.js";
import type { Json } from "../values/json.js";
import { wordsOf } from "./explain-refusal.js";
import type { OAuthCredential } from "./oauth.js";

/** What a token endpoint, or an authorization endpoint, answered instead of a token. */
export interface TokenRefusal {
  /** 0 if there was no response from the endpoint itself: the browser brought the error back. */
  status: number;
  /** The code of RFC 6749 section 5.2 or 4.1.2.1, RFC 8707, OpenID Connect. */
  error: string;
  description?: string;
  /** How far our clock is ahead of the authorization server's, in milliseconds; 0 where that is not known. */
  clockAhead: number;
}

/** What it means, in plain words. `code` is stable. */
export interface TokenExplanation {
  code:
    | "unknown-client"
    | "wrong-client-auth"
    | "wrong-client-secret"
    | "clock-off"
    | "certificate-expired"
    | "expired"
    | "wrong-audience"
    | "scope-missing"
    | "grant-not-allowed"
    | "redirect-not-registered"
    | "consent-missing"
    | "sign-in-again"
    | "wrong-password"
    | "assertion-refused"
    | "busy"
    | "paused"
    | "other";
  sentence: string;
  /** Whether only a person can put it right, by signing in. */
  signIn: boolean;
  /** Whether it may go away by itself: nothing is wrong with the credential. */
  passing: boolean;
}

/** A clock that is further off than this many milliseconds spoils assertions. */
const clockTolerance = 30_000;

/** Explains why no token was given. */
export function explainTokenRefusal(credential: OAuthCredential, refusal: TokenRefusal): TokenExplanation {
  const { error, description = "", status, clockAhead } = refusal;
  const words = description.replace(/\s+/g, " ").trim().slice(0, 300);
  const quote = ` It says: ${error}${words ? ` – ${words}` : ""}.`.replace(/\.\.$/, ".");
  const result = (
    code: TokenExplanation["code"],
    sentence: string,
    more: { signIn?: boolean; passing?: boolean } = {},
  ): TokenExplanation => ({
    code,
    sentence: sentence + quote,
    signIn: more.signIn ?? false,
    passing: more.passing ?? false,
  });
  const asserts = credential.clientAuth === "private_key_jwt" || credential.grant === "jwt-bearer";
  if (asserts && Math.abs(clockAhead) > clockTolerance && /client|grant|assertion|request/.test(error)) {
    return result(
      "clock-off",
      `This machine's clock is ${printForPeople(Math.abs(clockAhead))} ${clockAhead > 0 ? "ahead of" : "behind"} the authorization server's, and an assertion holds for minutes only; correct it.`,
    );
  }
  if (/redirect/i.test(words) || error === "invalid_redirect_uri") {
    return result(
      "redirect-not-registered",
      "The authorization server does not know our redirect URI. Give its administrator the exact text of it, to the last slash; the request sheet has it.",
    );
  }
  if (/certificate/i.test(words) && /expired/i.test(words))
    return result("certificate-expired", "The certificate has expired. Give the credential a new one.");
  if (/grant type.*not (allowed|supported)|not allowed.*grant/i.test(words))
    return grantNotAllowed(credential, result);
  switch (error) {
    case "invalid_client":
      return clientFault(credential, words, result);
    case "unauthorized_client":
    case "unsupported_grant_type":
      return grantNotAllowed(credential, result);
    case "invalid_target":
      return result(
        "wrong-audience",
        `The authorization server knows no such audience or resource: ${[credential.audience, ...(credential.resource ?? [])].filter(Boolean).join(", ") || "none was requested"}.`,
      );
    case "invalid_scope":
      return result(
        "scope-missing",
        `The client may not ask for all of these scopes: ${credential.scopes.join(" ") || "none were requested"}. Its administrator can add them.`,
      );
    case "access_denied":
    case "consent_required":
      return result(
        "consent-missing",
        "Nobody has consented to the requested scopes. Sign in again and allow it, or have an administrator consent.",
        { signIn: true },
      );
    case "login_required":
    case "interaction_required":
    case "account_selection_required":
      return result("sign-in-again", "A person has to sign in again.", { signIn: true });
    case "invalid_grant":
      return grantFault(credential, words, result);
    case "slow_down":
    case "temporarily_unavailable":
    case "server_error":
      return result("busy", "The authorization server cannot give a token at the moment.", { passing: true });
    default:
      return result(
        "other",
        status === 0 ? "The sign-in gave no token." : `The token endpoint sent ${status} and no token.`,
        { passing: status === 429 || status >= 500 },
      );
  }
}

type Make = (
  code: TokenExplanation["code"],
  sentence: string,
  more?: { signIn?: boolean; passing?: boolean },
) => TokenExplanation;

function grantNotAllowed({ clientId = "", grant }: OAuthCredential, result: Make): TokenExplanation {
  return result(
    "grant-not-allowed",
    `The client "${clientId}" may not use the grant ${grant}. Its administrator can allow it, or tell which one is meant.`,
  );
}

function clientFault(credential: OAuthCredential, words: string, result: Make): TokenExplanation {
  const client = `The client "${credential.clientId ?? ""}"`;
  if (/not found|no client|unknown|no such|does not exist|not registered|client is invalid/i.test(words))
    return result(
      "unknown-client",
      `${client} is unknown: it was mistyped, or belongs to another environment.`,
    );
  if (/method|client_secret_(basic|post)|mechanism|must (use|be)/i.test(words)) {
    return result(
      "wrong-client-auth",
      `${client} must not use ${credential.clientAuth}. Set the client authentication method that it was registered with.`,
    );
  }
  if (/expired/i.test(words))
    return result("expired", "The client's secret has expired. Get a new one and replace it.");
  const proof =
    credential.clientAuth === "private_key_jwt"
      ? "key is not the one that was registered"
      : credential.clientAuth === "tls_client_auth"
        ? "certificate is not the one that was registered"
        : "secret is wrong";
  return result("wrong-client-secret", `${client} was not accepted: it is unknown, or its ${proof}.`);
}

function grantFault(credential: OAuthCredential, words: string, result: Make): TokenExplanation {
  switch (credential.grant) {
    case "password":
      return result("wrong-password", `The user "${credential.user ?? ""}" or the password is wrong.`);
    case "jwt-bearer":
    case "client-credentials":
      if (/aud/i.test(words))
        return result(
          "wrong-audience",
          "The assertion is made for another audience than the authorization server expects.",
        );
      return result(
        "assertion-refused",
        "The assertion was not accepted: its key, issuer or subject is not the one that was registered.",
      );
    default:
      return result(
        "sign-in-again",
        "The sign-in is no longer valid: it was revoked, it expired, or somebody else used its refresh token.",
        { signIn: true },
      );
  }
}

/** The ways in which a client may prove itself with the same secret, besides the one that was refused. */
export function otherClientAuth(credential: OAuthCredential): OAuthCredential | undefined {
  if (credential.clientAuth === "client_secret_basic")
    return { ...credential, clientAuth: "client_secret_post" };
  if (credential.clientAuth === "client_secret_post")
    return { ...credential, clientAuth: "client_secret_basic" };
  return undefined;
}

/**
 * Explains why a login gave no token.
 * @param why which part of the credential did not fit the response
 * @param said the response's body, without secrets
 */
export function explainLogin(status: number, why: string, said: Json): TokenExplanation {
  const words = wordsOf(said);
  const quote = words ? ` It says: ${words}` : "";
  const result = (code: TokenExplanation["code"], sentence: string, passing = false): TokenExplanation => ({
    code,
    sentence: `${sentence}${quote}`,
    signIn: false,
    passing,
  });
  const answered = `The login was answered ${status}`;
  if (status === 429 || status === 408 || status >= 500)
    return result("busy", `${answered}: it can give no token at the moment.`, true);
  if (status === 401 || status === 403)
    return result(
      "wrong-password",
      `${answered}: the user name or the password is wrong, or the account is locked.`,
    );
  if (status === 404) return result("other", `${answered}: the address of the login does not exist.`);
  if (status >= 300 && status < 400)
    return result(
      "other",
      `${answered}, a redirect, which a login does not follow. Give the address that it leads to, or a "success" that takes it.`,
    );
  return result("other", `${answered}, and gave no token: ${why}.`);
}
