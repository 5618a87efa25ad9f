import type { CredentialInput } from "@copper-kettle/contract";
import { readFileSync } from "node:fs";
import { Exit, exitCodes } from "../context.js";
import { readText } from "../read-text.js";

/** The options of `credential add`. */
export interface AddOptions {
  kind: string;
  part: string[];
  host: string[];
  user?: string;
  scheme?: string;
  secret: string[];
  withoutSecret?: boolean;
  overlap?: string;
  ends?: string;
  mayUse: string[];
  mayChange: string[];
  grant?: string;
  issuer?: string;
  tokenUrl?: string;
  authorizationUrl?: string;
  clientId?: string;
  clientAuth?: string;
  certificate?: string;
  key?: string;
  pkcs12?: string;
  authority?: string;
  keyId?: string;
  scope: string[];
  audience?: string;
  resource: string[];
  parameter: string[];
  authorizationParameter: string[];
  subject?: string;
}

export const kinds = [
  "bearer",
  "basic",
  "digest",
  "api-key",
  "signed",
  "mutual-tls",
  "oauth2",
  "login",
  "secret",
];
const grants = ["client-credentials", "authorization-code", "refresh-token", "password", "jwt-bearer"];

/** A secret that a credential needs: how people call it, and where it goes. */
interface Wanted {
  label: string;
  put(secret: string): void;
}

/** What the options make: a credential whose secrets are asked for. */
export async function inputOf(options: AddOptions): Promise<CredentialInput> {
  requireOfKind(options);
  const { input, wanted } = await open(options);
  const common = {
    hosts: options.host,
    mayUse: options.mayUse,
    mayChange: options.mayChange,
    ...(options.overlap ? { overlap: options.overlap } : {}),
    ...(options.ends ? { endsOn: options.ends } : {}),
  };
  if (!options.withoutSecret) await fill(wanted);
  return { ...input, ...common } as CredentialInput;
}

const ofCertificates = ["mutual-tls", "oauth2"];
/** Options that only some kinds have, and how they are written. */
const onlyOf: [keyof AddOptions, string, string[]][] = [
  ["part", "--part", ["api-key"]],
  ["user", "--user", ["basic", "digest", "oauth2"]],
  ["scheme", "--scheme", ["signed", "login"]],
  ["secret", "--secret", ["signed", "login"]],
  ["certificate", "--certificate", ofCertificates],
  ["key", "--key", ofCertificates],
  ["pkcs12", "--pkcs12", ofCertificates],
  ["authority", "--authority", ofCertificates],
  ["grant", "--grant", ["oauth2"]],
  ["tokenUrl", "--token-url", ["oauth2"]],
  ["clientId", "--client-id", ["oauth2"]],
  ["scope", "--scope", ["oauth2"]],
];

/** @throws Exit for an option that the kind does not have: it would be dropped without a word */
function requireOfKind(options: AddOptions): void {
  for (const [name, written, kindsOfIt] of onlyOf) {
    const given = options[name];
    const isGiven = Array.isArray(given) ? given.length > 0 : given !== undefined;
    if (isGiven && kinds.includes(options.kind) && !kindsOfIt.includes(options.kind))
      throw new Exit(
        exitCodes.wrongUse,
        `${written} is for ${kindsOfIt.join(" and ")}, and not for ${options.kind}.`,
      );
  }
}

/** Asks for the secrets that a credential has, to replace them. */
export async function askAgain(settings: Record<string, unknown>, kind: string): Promise<CredentialInput> {
  const input = { ...settings, kind } as Record<string, unknown>;
  const wanted: Wanted[] = [];
  const single = (label: string, field: string) =>
    wanted.push({ label, put: (secret) => (input[field] = secret) });
  if (kind === "bearer") single("Token", "token");
  if (kind === "secret") single("Secret", "secret");
  if (kind === "basic" || kind === "digest") single("Password", "password");
  if (kind === "api-key") {
    for (const part of input["parts"] as { name: string; secret?: string }[])
      wanted.push({ label: part.name, put: (secret) => (part.secret = secret) });
  }
  if (kind === "signed" || kind === "login") {
    const names = settings["secrets"] as string[];
    const secrets: Record<string, string> = {};
    input["secrets"] = secrets;
    for (const name of names) wanted.push({ label: name, put: (secret) => (secrets[name] = secret) });
  }
  if (kind === "oauth2") {
    if (String(input["clientAuth"]).startsWith("client_secret")) single("Client secret", "clientSecret");
    if (input["grant"] === "password") single("Password", "password");
    if (input["grant"] === "refresh-token") single("Refresh token", "refreshToken");
  }
  if (wanted.length === 0)
    throw new Exit(
      exitCodes.wrongUse,
      "This credential uses a key. Give the new one with: ckettle credential add … --key FILE",
    );
  await fill(wanted);
  return input as CredentialInput;
}

async function open(options: AddOptions): Promise<{ input: Record<string, unknown>; wanted: Wanted[] }> {
  const { kind } = options;
  const input: Record<string, unknown> = { kind };
  const into = (field: string) => (secret: string) => void (input[field] = secret);
  switch (kind) {
    case "bearer":
      return { input, wanted: [{ label: "Token", put: into("token") }] };
    case "secret":
      return { input, wanted: [{ label: "Secret", put: into("secret") }] };
    case "basic":
    case "digest":
      if (!options.user) throw needs(kind, "--user");
      input["user"] = options.user;
      return { input, wanted: [{ label: "Password", put: into("password") }] };
    case "signed":
    case "login": {
      if (!options.scheme || options.secret.length === 0)
        throw needs(kind, "--scheme FILE and a --secret NAME for each secret that it uses");
      const secrets: Record<string, string | null> = Object.fromEntries(
        options.secret.map((name) => [name, null]),
      );
      const { hosts, ...scheme } = await readScheme(options.scheme, kind);
      // What the file says of the hosts stands where none are given.
      if (options.host.length === 0 && Array.isArray(hosts)) options.host = hosts.map(String);
      Object.assign(input, { scheme, secrets });
      return {
        input,
        wanted: options.secret.map((name) => ({
          label: name,
          put: (secret) => (secrets[name] = secret),
        })),
      };
    }
    case "api-key": {
      const parts: { name: string; secret?: string }[] = partsOf(options.part);
      input["parts"] = parts;
      return {
        input,
        wanted: parts.map((part) => ({ label: part.name, put: (secret) => (part.secret = secret) })),
      };
    }
    case "mutual-tls":
      if (!options.pkcs12 && !(options.certificate && options.key) && !options.withoutSecret)
        throw needs(kind, "--certificate FILE and --key FILE, or --pkcs12 FILE");
      return { input: Object.assign(input, certificateOf(options)), wanted: passphraseOf(options, input) };
    case "oauth2":
      return oauth(options, input);
    default:
      throw new Exit(
        exitCodes.wrongUse,
        `A credential's kind is ${kinds.slice(0, -1).join(", ")} or ${kinds.at(-1)}, not "${kind}".`,
      );
  }
}

function oauth(
  options: AddOptions,
  input: Record<string, unknown>,
): { input: Record<string, unknown>; wanted: Wanted[] } {
  const { grant } = options;
  if (!grant || !grants.includes(grant)) throw needs("oauth2", `--grant, one of ${grants.join(", ")}`);
  const { clientAuth = options.key || options.pkcs12 ? "private_key_jwt" : "client_secret_basic" } = options;
  const given = {
    grant,
    clientAuth,
    issuer: options.issuer,
    tokenUrl: options.tokenUrl,
    authorizationUrl: options.authorizationUrl,
    clientId: options.clientId,
    keyId: options.keyId,
    scopes: options.scope,
    audience: options.audience,
    user: options.user,
    ...(options.resource.length > 0 ? { resource: options.resource } : {}),
    ...(options.parameter.length > 0 ? { parameters: pairs(options.parameter) } : {}),
    ...(options.authorizationParameter.length > 0
      ? { authorizationParameters: pairs(options.authorizationParameter) }
      : {}),
    ...(options.subject ? { assertion: { subject: options.subject } } : {}),
    ...certificateOf(options),
  };
  for (const [name, value] of Object.entries(given)) if (value !== undefined) input[name] = value;
  const wanted = passphraseOf(options, input);
  const want = (label: string, field: string) =>
    wanted.push({ label, put: (secret) => (input[field] = secret) });
  if (clientAuth.startsWith("client_secret")) want("Client secret", "clientSecret");
  if (grant === "password") want("Password", "password");
  if (grant === "refresh-token") want("Refresh token", "refreshToken");
  return { input, wanted };
}

function certificateOf(options: AddOptions): Record<string, string> {
  return {
    ...(options.certificate ? { certificate: readText(options.certificate) } : {}),
    ...(options.key ? { privateKey: readText(options.key) } : {}),
    ...(options.authority ? { authority: readText(options.authority) } : {}),
    ...(options.pkcs12 ? { pkcs12: readBytes(options.pkcs12).toString("base64") } : {}),
  };
}

/** A PKCS#12 file, or an encrypted key, is opened with a passphrase. */
function passphraseOf(options: AddOptions, input: Record<string, unknown>): Wanted[] {
  const encrypted = options.pkcs12 || /ENCRYPTED/.test(String(input["privateKey"] ?? ""));
  return encrypted ? [{ label: "Passphrase", put: (secret) => (input["passphrase"] = secret) }] : [];
}

function pairs(texts: string[]): Record<string, string> {
  return Object.fromEntries(
    texts.map((text) => {
      const at = text.indexOf("=");
      if (at < 1) throw new Exit(exitCodes.wrongUse, `A parameter is name=value; this is "${text}".`);
      return [text.slice(0, at), text.slice(at + 1)];
    }),
  );
}

function partsOf(texts: string[]): { place: string; name: string; prefix: string }[] {
  if (texts.length === 0)
    throw new Exit(
      exitCodes.wrongUse,
      "An api-key needs at least one --part, such as --part header:X-Api-Key or --part query:key.",
    );
  return texts.map((text) => {
    const match = /^(header|query|cookie|path|body):([^:]+)(?::(.*))?$/.exec(text);
    if (!match)
      throw new Exit(
        exitCodes.wrongUse,
        `A part is place:name or place:name:prefix, with header, query, cookie, path or body as its place; this is "${text}".`,
      );
    return {
      place: match[1] as string,
      name: match[2] as string,
      prefix: match[3] ? `${match[3].trim()} ` : "",
    };
  });
}

function needs(kind: string, what: string): Exit {
  return new Exit(exitCodes.wrongUse, `A credential of kind ${kind} needs ${what}.`);
}

/** A scheme out of a file, which may also say the kind and the hosts. */
async function readScheme(file: string, kind: string): Promise<Record<string, unknown>> {
  const { parse } = await import("yaml");
  try {
    const read: unknown = parse(readText(file));
    if (typeof read !== "object" || read === null || Array.isArray(read))
      throw new Exit(exitCodes.wrongUse, `${file} is no mapping of a scheme's fields.`);
    const { kind: written, ...scheme } = read as Record<string, unknown>;
    if (written !== undefined && written !== kind)
      throw new Exit(exitCodes.wrongUse, `${file} is of the kind ${String(written)}, and not ${kind}.`);
    return scheme;
  } catch (error) {
    throw error instanceof Exit
      ? error
      : new Exit(exitCodes.wrongUse, `${file} is neither YAML nor JSON: ${(error as Error).message}`);
  }
}

function readBytes(file: string): Buffer {
  try {
    return readFileSync(file);
  } catch (error) {
    throw new Exit(exitCodes.wrongUse, `${file} cannot be read: ${(error as Error).message}`);
  }
}

/** Asks without echo in a terminal; else reads standard input, one secret a line. */
async function fill(wanted: Wanted[]): Promise<void> {
  if (wanted.length === 0) return;
  if (process.stdin.isTTY) {
    const { password } = await import("@inquirer/prompts");
    for (const { label, put } of wanted)
      put(await password({ message: `${label}:`, mask: "•" }, { output: process.stderr }));
    return;
  }
  const lines = readFileSync(0, "utf8").split(/\r?\n/);
  wanted.forEach(({ label, put }, index) => {
    const line = lines[index];
    if (!line)
      throw new Exit(
        exitCodes.wrongUse,
        `The secret ${label} is missing on standard input (line ${index + 1}). With --without-secret it can come later.`,
      );
    put(line);
  });
}
