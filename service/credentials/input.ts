import type { BodyOf, routes } from "@copper-kettle/contract";
import {
  checkLogin,
  checkScheme,
  cleanSecret,
  keepSecrets,
  parseDuration,
  SchemeFault,
  secretFault,
  loginOrigin,
  type Credential,
  type LoginCredential,
  type LoginScheme,
  type OAuthCredential,
} from "@copper-kettle/core";
import {
  BadCertificate,
  checkPair,
  readCertificates,
  readPkcs12,
  readPrivateKey,
} from "../oauth/certificates.js";
import { isSafeOrigin } from "../oauth/metadata.js";
import type { CredentialSettings } from "../store/credentials.js";

type Input = BodyOf<typeof routes.putCredential>;
type InputOf<K extends Input["kind"]> = Extract<Input, { kind: K }>;

/** What was given cannot be a credential; `field` names the part at fault. */
export class BadCredential extends Error {
  override name = "BadCredential";
  constructor(
    readonly field: string,
    message: string,
  ) {
    super(message);
  }
}

/** A credential as a person gave it, and what was taken off its secrets. */
export interface ReadCredential {
  credential: Credential;
  settings: CredentialSettings;
  /** Milliseconds. */
  overlap: number;
  removed: string[];
}

const longestOverlap = 90 * 86_400_000;

/**
 * Reads what a person gave: secrets are cleaned of what was pasted along, certificates compared with their keys, what was
 * left out is taken from the credential that it replaces.
 * @throws BadCredential
 */
export function readCredentialInput(input: Input, before: Credential | undefined): ReadCredential {
  const removed = new Set<string>();
  const clean = (secret: string | null | undefined, prefix: string, field: string): string => {
    if (secret === undefined || secret === null) return "";
    const cleaned = cleanSecret(secret, prefix);
    const fault = secretFault(cleaned.secret);
    if (fault) throw new BadCredential(field, fault);
    for (const what of cleaned.removed) removed.add(what);
    return cleaned.secret;
  };
  const credential = keepSecrets(credentialOf(input, clean), before);
  if (credential.kind === "signed") checkedScheme(credential);
  if (credential.kind === "login") checkedLogin(credential, input.hosts);
  if ("certificate" in credential) checkedCertificates(credential);
  return { credential, settings: settingsOf(input), overlap: overlapOf(input), removed: [...removed] };
}

type Clean = (secret: string | null | undefined, prefix: string, field: string) => string;

function credentialOf(input: Input, clean: Clean): Credential {
  switch (input.kind) {
    case "bearer":
      return { kind: "bearer", token: clean(input.token, "Bearer ", "token") };
    case "secret":
      return { kind: "secret", secret: clean(input.secret, "", "secret") };
    case "basic":
    case "digest":
      if (input.kind === "basic" && input.user.includes(":"))
        throw new BadCredential("user", "A user name for Basic cannot hold a colon (RFC 7617).");
      return { kind: input.kind, user: input.user.trim(), password: passwordOf(input.password) };
    case "api-key":
      return {
        kind: "api-key",
        parts: input.parts.map(({ place, name, prefix, secret }, index) => ({
          place,
          name,
          prefix,
          secret: clean(secret, prefix, `parts.${index}.secret`),
        })),
      };
    case "signed":
      return {
        kind: "signed",
        secrets: mapped(input.secrets, (secret, name) => clean(secret, "", `secrets.${name}`)),
        scheme: input.scheme,
      };
    case "login":
      // They may be passwords, which are taken as they are.
      return {
        kind: "login",
        secrets: mapped(input.secrets, (secret) => passwordOf(secret ?? undefined)),
        scheme: input.scheme as LoginScheme,
      };
    case "mutual-tls": {
      const { certificate = "", privateKey = "", authority } = pairOf(input);
      return { kind: "mutual-tls", certificate, privateKey, ...(authority ? { authority } : {}) };
    }
    case "oauth2":
      return oauthOf(input, clean);
  }
}

function mapped(
  secrets: Record<string, string | null>,
  read: (secret: string | null, name: string) => string,
): Record<string, string> {
  return Object.fromEntries(Object.entries(secrets).map(([name, secret]) => [name, read(secret, name)]));
}

function oauthOf(input: InputOf<"oauth2">, clean: Clean): OAuthCredential {
  const secrets = {
    clientSecret: clean(input.clientSecret, "", "clientSecret"),
    password: passwordOf(input.password),
    refreshToken: clean(input.refreshToken, "", "refreshToken"),
    ...pairOf(input),
  };
  const whole = { ...input, ...secrets, clientId: input.clientId?.trim() };
  // What is not there is left out, so that it is not mistaken for something that was given.
  return Object.fromEntries(
    Object.entries(whole).filter(
      ([name, value]) => !notOfCredential.has(name) && value !== undefined && value !== "",
    ),
  ) as unknown as OAuthCredential;
}

/** What a person gives along with a credential, and is not a part of it. */
const notOfCredential = new Set([
  "hosts",
  "endsOn",
  "overlap",
  "mayUse",
  "mayChange",
  "pkcs12",
  "passphrase",
]);

/** A password is taken as it is: spaces and quotes may be part of it; only a line end at its end is not. */
function passwordOf(password: string | undefined): string {
  if (password === undefined) return "";
  const bare = password.replace(/[\r\n]+$/, "");
  if (bare === "") throw new BadCredential("password", "The password is empty.");
  return bare;
}

interface Pair {
  certificate?: string;
  privateKey?: string;
  authority?: string;
}

function pairOf(input: InputOf<"mutual-tls"> | InputOf<"oauth2">): Pair {
  const { pkcs12, passphrase = "", certificate, privateKey, authority } = input;
  return certified(() => ({
    ...(pkcs12
      ? readPkcs12(pkcs12, passphrase)
      : {
          ...(certificate ? { certificate: certificate.trim() } : {}),
          ...(privateKey ? { privateKey: readPrivateKey(privateKey, passphrase) } : {}),
        }),
    ...(authority ? { authority: authority.trim() } : {}),
  }));
}

function checkedCertificates({ certificate, privateKey, authority }: Pair): void {
  certified(() => {
    if (certificate) readCertificates(certificate, "certificate");
    if (authority) readCertificates(authority, "authority");
    if (certificate && privateKey) checkPair(certificate, privateKey);
  });
}

function certified<T>(read: () => T): T {
  try {
    return read();
  } catch (error) {
    throw error instanceof BadCertificate ? new BadCredential(error.field, error.message) : error;
  }
}

function checkedScheme(credential: Extract<Credential, { kind: "signed" }>): void {
  try {
    checkScheme(credential.scheme, Object.keys(credential.secrets));
  } catch (error) {
    throw error instanceof SchemeFault ? new BadCredential(`scheme.${error.field}`, error.message) : error;
  }
}

function checkedLogin(credential: LoginCredential, hosts: readonly string[]): void {
  const { scheme, secrets } = credential;
  if (hosts.length === 0)
    throw new BadCredential("hosts", "A login needs hosts: where its token may be sent to.");
  try {
    checkLogin(scheme, Object.keys(secrets));
  } catch (error) {
    throw error instanceof SchemeFault ? new BadCredential(`scheme.${error.field}`, error.message) : error;
  }
  const own = loginOrigin(scheme);
  const renews = scheme.renew && loginOrigin(scheme.renew);
  for (const [field, origin] of [
    ["request", own],
    ["renew.request", renews],
  ] as const)
    if (origin && !isSafeOrigin(origin))
      throw new BadCredential(
        `scheme.${field}`,
        `${origin.origin} is not https, and a secret would be sent there unencrypted.`,
      );
  if (renews && renews.host !== own.host && !hosts.includes(renews.host) && !hosts.includes(renews.hostname))
    throw new BadCredential(
      "scheme.renew.request",
      `The token is renewed at ${renews.host}, which is neither the login's host nor one of the credential's.`,
    );
}

function settingsOf({ hosts, endsOn, mayUse, mayChange }: Input): CredentialSettings {
  if (mayUse.length > 0 && hosts.length === 0)
    throw new BadCredential(
      "hosts",
      "A credential that only some people may use must be bound to hosts: otherwise whoever sets an address decides where it goes.",
    );
  return { hosts, mayUse, mayChange, endsAt: endsOn === null ? null : endOfDay(endsOn) };
}

/** A secret that ends on a day is good until that day is over (in UTC); a point in time is that point. */
function endOfDay(text: string): number {
  const isDay = /^\d{4}-\d\d-\d\d$/.test(text);
  return Date.parse(text) + (isDay ? 86_400_000 - 1 : 0);
}

function overlapOf({ overlap }: Input): number {
  if (overlap === undefined) return 0;
  const millis = parseDuration(overlap);
  if (millis === undefined || millis < 0 || millis > longestOverlap)
    throw new BadCredential("overlap", `"${overlap}" is not a duration up to 90d; write 24h or 7d.`);
  return millis;
}
