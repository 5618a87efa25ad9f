import {
  isObject,
  printPrincipal,
  sameBytes,
  toBase64,
  utf8,
  verifyHmac,
  verifyStandard,
  type Delivery,
  type JsonObject,
  type Verdict,
  type Verify,
} from "@copper-kettle/core";
import { mayUse } from "../credentials/rights.js";
import type { CredentialStore, OpenCredential } from "../store/credentials.js";
import type { GrantStore } from "../store/grants.js";
import type { Principal } from "@copper-kettle/core";
import type { TokenVerifier } from "./token-verifier.js";

/** For whom a delivery is verified: the version that is in force, and who published it. */
export interface VerifiedFor {
  workflow: string;
  version: number;
  principal: Principal | undefined;
}

interface VerifyParts {
  credentials: CredentialStore;
  grants: GrantStore;
  tokens: TokenVerifier;
  now: number;
}

/**
 * Whether a delivery is from who it says, by the credential that its trigger names; the one that it replaced counts as
 * long as it holds.
 * @param query the query of its URL
 */
export async function verified(
  { credentials, grants, tokens, now }: VerifyParts,
  verify: Verify,
  delivery: Delivery & { query: Readonly<Record<string, string>> },
  { workflow, version, principal }: VerifiedFor,
): Promise<Verdict> {
  if (verify.by === "none") return { ok: true };
  if (verify.by === "jwt") return tokens.verify(verify, delivery.headers["authorization"]);
  const { using } = verify;
  const open = credentials.get(using);
  if (!open) return { ok: false, reason: `There is no credential "${using}".` };
  if (!principal || !mayUse(open, principal))
    return {
      ok: false,
      reason: `The credential "${using}" may not be used in the name of ${principal ? printPrincipal(principal) : "nobody"}.`,
    };
  if (grants.withdrawnBy({ workflow, version, kind: "credential", name: using }) !== undefined)
    return { ok: false, reason: `The credential "${using}" was withdrawn from version ${version}.` };
  const held = [
    open.credential,
    ...(open.replaced && open.replaced.until > now ? [open.replaced.credential] : []),
  ];
  const secrets = held.flatMap(secretOf);
  switch (verify.by) {
    case "standard-webhooks":
      return verifyStandard(delivery, secrets, now);
    case "hmac":
      return verifyHmac(delivery, verify, secrets, now);
    default:
      return shownProof(held, delivery)
        ? { ok: true }
        : { ok: false, reason: `It does not show the credential "${using}" (${verify.by}).` };
  }
}

/** The secret with which a challenge is signed, of a webhook that is verified by HMAC. */
export function challengeSecret(verify: Verify, credentials: CredentialStore): string | undefined {
  const open = verify.by === "hmac" ? credentials.get(verify.using) : undefined;
  return open && secretOf(open.credential)[0];
}

function secretOf(credential: OpenCredential["credential"]): string[] {
  if (credential.kind === "secret") return [credential.secret];
  return credential.kind === "bearer" ? [credential.token] : [];
}

/** Whether a delivery shows one of some credentials as a call of ours would. */
function shownProof(
  held: readonly OpenCredential["credential"][],
  { headers, query }: { headers: Delivery["headers"]; query: Readonly<Record<string, string>> },
): boolean {
  const authorization = headers["authorization"] ?? "";
  const same = (given: string | undefined, wanted: string): boolean =>
    given !== undefined && wanted !== "" && sameBytes(utf8(given), utf8(wanted));
  return held.some((one) => {
    switch (one.kind) {
      case "basic":
        return same(authorization.replace(/^basic /i, ""), toBase64(utf8(`${one.user}:${one.password}`)));
      case "bearer":
        return same(authorization.replace(/^bearer /i, ""), one.token);
      case "secret":
        return same(authorization.replace(/^bearer /i, ""), one.secret);
      case "api-key":
        return (
          one.parts.length > 0 &&
          one.parts.every(({ place, name, prefix, secret }) =>
            same(place === "query" ? query[name] : headers[name.toLowerCase()], `${prefix}${secret}`),
          )
        );
      default:
        return false;
    }
  });
}

/** Where a delivery proves where it comes from: expressions do not see that, and no record holds it. */
export function proofParts(
  verify: Verify,
  credentials: CredentialStore,
): { headers: readonly string[]; query: readonly string[] } {
  const headers = ["authorization", "cookie", "proxy-authorization"];
  const query: string[] = [];
  if (verify.by === "standard-webhooks") headers.push("webhook-signature");
  if (verify.by === "hmac") headers.push(verify.header);
  const open = verify.by === "api-key" ? credentials.get(verify.using) : undefined;
  for (const credential of open ? [open.credential, open.replaced?.credential] : [])
    if (credential?.kind === "api-key")
      for (const { place, name } of credential.parts) {
        if (place === "query") query.push(name);
        else headers.push(name.toLowerCase());
      }
  return { headers, query };
}

/** What is the same in a repeat, where the file does not say: of a CloudEvent its source and id, else `webhook-id`. */
export function usualKey(verify: Verify, brought: JsonObject): string | undefined {
  const { event, headers } = brought;
  if (isObject(event)) return `${String(event["source"])} ${String(event["id"])}`;
  const id = verify.by === "standard-webhooks" && isObject(headers) ? headers["webhook-id"] : undefined;
  return typeof id === "string" ? id : undefined;
}
