import type { Credential } from "./credential.js";
import { wantsSignIn, type OAuthCredential } from "./oauth.js";

/** What a credential still lacks before it can be used, by the names of its fields; empty if it is whole. */
export function missingParts(credential: Credential): string[] {
  const lacks = (fields: Record<string, string | undefined>) =>
    Object.entries(fields)
      .filter(([, value]) => value === undefined || value === "")
      .map(([name]) => name);
  switch (credential.kind) {
    case "bearer":
      return lacks({ token: credential.token });
    case "secret":
      return lacks({ secret: credential.secret });
    case "basic":
    case "digest":
      return lacks({ user: credential.user, password: credential.password });
    case "api-key":
      return credential.parts.flatMap((part, index) => (part.secret === "" ? [`parts.${index}.secret`] : []));
    case "signed":
    case "login":
      return Object.entries(credential.secrets)
        .filter(([, secret]) => secret === "")
        .map(([name]) => `secrets.${name}`);
    case "mutual-tls":
      return lacks({ certificate: credential.certificate, privateKey: credential.privateKey });
    case "oauth2":
      return lacks(neededParts(credential));
  }
}

/** The same in words, for people. */
export function missingInWords(credential: Credential): string[] {
  return missingParts(credential).map((field) => {
    const [, index, secret] = /^(?:parts\.(\d+)\.secret|secrets\.(.+))$/.exec(field) ?? [];
    if (secret !== undefined) return `the secret ${secret}`;
    const part = credential.kind === "api-key" ? credential.parts[Number(index)] : undefined;
    return part ? `the secret of ${part.place} ${part.name}` : field;
  });
}

function neededParts(credential: OAuthCredential): Record<string, string | undefined> {
  const { grant, clientAuth, issuer } = credential;
  const key = { privateKey: credential.privateKey };
  return {
    ...(issuer ? {} : { tokenUrl: credential.tokenUrl }),
    ...(issuer || !wantsSignIn(credential) ? {} : { authorizationUrl: credential.authorizationUrl }),
    ...(grant === "jwt-bearer" && clientAuth === "none" ? {} : { clientId: credential.clientId }),
    ...(clientAuth.startsWith("client_secret") ? { clientSecret: credential.clientSecret } : {}),
    ...(clientAuth === "private_key_jwt" || grant === "jwt-bearer" ? key : {}),
    ...(clientAuth === "tls_client_auth" ? { ...key, certificate: credential.certificate } : {}),
    ...(grant === "password" ? { user: credential.user, password: credential.password } : {}),
    ...(grant === "refresh-token" ? { refreshToken: credential.refreshToken } : {}),
  };
}

/** The fields whose values are secret: they go in and never come out. */
const secretFields = ["token", "secret", "password", "clientSecret", "privateKey", "refreshToken"] as const;

/** A credential without its secrets: what may be shown, and what a form begins with. */
export function openParts(credential: Credential): Record<string, unknown> {
  const open: Record<string, unknown> = Object.fromEntries(
    Object.entries(credential).filter(([name]) => !(secretFields as readonly string[]).includes(name)),
  );
  delete open["kind"];
  if (credential.kind === "api-key")
    open["parts"] = credential.parts.map(({ place, name, prefix }) => ({ place, name, prefix }));
  if (credential.kind === "signed" || credential.kind === "login")
    open["secrets"] = Object.keys(credential.secrets);
  return open;
}

/** A credential in which each secret that was left out is the one of the credential that it replaces, where that has it. */
export function keepSecrets<C extends Credential>(given: C, before: Credential | undefined): C {
  if (!before || before.kind !== given.kind) return given;
  const kept = { ...given } as Record<string, unknown>;
  const old = before as unknown as Record<string, unknown>;
  for (const field of secretFields)
    if (kept[field] === undefined || kept[field] === "") if (old[field]) kept[field] = old[field];
  if (given.kind === "api-key" && before.kind === "api-key") {
    kept["parts"] = given.parts.map((part) => ({
      ...part,
      secret:
        part.secret ||
        (before.parts.find(({ place, name }) => place === part.place && name === part.name)?.secret ?? ""),
    }));
  }
  if (
    (given.kind === "signed" || given.kind === "login") &&
    (before.kind === "signed" || before.kind === "login")
  ) {
    kept["secrets"] = Object.fromEntries(
      Object.entries(given.secrets).map(([name, secret]) => [name, secret || (before.secrets[name] ?? "")]),
    );
  }
  // A certificate and its key belong together: a new certificate never keeps an old key.
  if (
    "certificate" in given &&
    given.certificate !== old["certificate"] &&
    !("privateKey" in given && given.privateKey)
  )
    delete kept["privateKey"];
  return kept as C;
}
