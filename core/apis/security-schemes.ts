import { isObject, own, type JsonObject } from "../values/json.js";
import { deref, objectAt, textAt } from "./references.js";

/** A way in which the calls of an API may prove who they are (OpenAPI 3.1, section 4.8.27), as a kind of credential. */
export interface SecurityScheme {
  /** Its name in the document. */
  name: string;
  /** The kind of credential that does it; undefined for what is not supported. */
  kind: "api-key" | "basic" | "bearer" | "digest" | "oauth2" | "mutual-tls" | undefined;
  /** In plain words: where the key goes, or which grants there are. */
  says: string;
  /** With `api-key`: where the key goes. */
  place?: { place: "header" | "query" | "cookie"; name: string; prefix: string };
  /** With `oauth2`: its grant, and the addresses. */
  oauth?: { grant: string; tokenUrl?: string; authorizationUrl?: string; scopes: string[] };
  about?: string;
}

/** The security schemes of a document. */
export function securityOf(document: JsonObject): SecurityScheme[] {
  const schemes = objectAt(objectAt(document, "components"), "securitySchemes");
  return Object.entries(schemes).flatMap(([name, raw]) => {
    const scheme = deref(document, raw);
    if (!isObject(scheme)) return [];
    const about = textAt(scheme, "description");
    return [{ name, ...readScheme(scheme), ...(about === undefined ? {} : { about }) }];
  });
}

function readScheme(scheme: JsonObject): Omit<SecurityScheme, "name" | "about"> {
  switch (textAt(scheme, "type")) {
    case "apiKey": {
      const place = textAt(scheme, "in");
      const key = textAt(scheme, "name") ?? "";
      if (place !== "header" && place !== "query" && place !== "cookie") break;
      return { kind: "api-key", says: `${place} ${key}`, place: { place, name: key, prefix: "" } };
    }
    case "http":
      return ofHttp(textAt(scheme, "scheme") ?? "");
    case "oauth2":
      return ofOAuth(objectAt(scheme, "flows"));
    case "openIdConnect":
      return {
        kind: "oauth2",
        says: `OpenID Connect, described at ${textAt(scheme, "openIdConnectUrl") ?? "an address that is not given"}`,
      };
    case "mutualTLS":
      return { kind: "mutual-tls", says: "a client certificate" };
  }
  return { kind: undefined, says: `${textAt(scheme, "type") ?? "a way"} that is not supported` };
}

/** By the name of an HTTP authentication scheme (RFC 9110 section 16.4.1), in any case. */
function ofHttp(scheme: string): Omit<SecurityScheme, "name" | "about"> {
  const name = scheme.toLowerCase();
  if (name === "basic" || name === "digest") return { kind: name, says: "user and password" };
  if (name === "bearer") return { kind: "bearer", says: "a token" };
  if (/^(negotiate|ntlm|hoba|mutual|scram.*)$/.test(name) || name === "")
    return { kind: undefined, says: `the HTTP scheme ${scheme}, which is not supported` };
  return {
    kind: "api-key",
    says: `header Authorization: ${scheme} …`,
    place: { place: "header", name: "Authorization", prefix: `${scheme} ` },
  };
}

const grants = {
  clientCredentials: "client-credentials",
  authorizationCode: "authorization-code",
  password: "password",
} as const;

function ofOAuth(flows: JsonObject): Omit<SecurityScheme, "name" | "about"> {
  for (const [name, grant] of Object.entries(grants)) {
    const flow = own(flows, name);
    if (!isObject(flow)) continue;
    const tokenUrl = textAt(flow, "tokenUrl");
    const authorizationUrl = textAt(flow, "authorizationUrl");
    return {
      kind: "oauth2",
      says: `grant ${grant}${tokenUrl === undefined ? "" : `, tokens from ${tokenUrl}`}`,
      oauth: {
        grant,
        scopes: Object.keys(objectAt(flow, "scopes")),
        ...(tokenUrl === undefined ? {} : { tokenUrl }),
        ...(authorizationUrl === undefined ? {} : { authorizationUrl }),
      },
    };
  }
  return { kind: "oauth2", says: "a grant that is not supported" };
}
