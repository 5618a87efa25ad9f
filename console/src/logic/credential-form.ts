import type { CredentialDetail, CredentialInput } from "@copper-kettle/contract";
import { certificateFields, linesOf, namesOf, readLines, typed, type CertificateForm } from "./form-parts.js";
import { emptyLogin, loginFormOf, readLogin, type LoginForm, type LoginInput } from "./login-form.js";
import { emptyOAuth, oauthFormOf, readOAuth, type OAuthForm } from "./oauth-form.js";

export type { CredentialInput };
export type CredentialKind = CredentialInput["kind"];

export const kinds: { value: CredentialKind; title: string; help: string }[] = [
  {
    value: "bearer",
    title: "bearer – a token in the header Authorization",
    help: "Paste the token alone. The word Bearer is added.",
  },
  { value: "basic", title: "basic – user and password", help: "Sent with each call, in Base64 (RFC 7617)." },
  {
    value: "digest",
    title: "digest – user and password, which are never sent",
    help: "Responds to the API's challenge (RFC 7616).",
  },
  {
    value: "api-key",
    title: "api-key – one or more keys, each with its place",
    help: "In a header, the query, a cookie, the path ({name} in the URL) or a field of the body.",
  },
  {
    value: "oauth2",
    title: "oauth2 – a token that is requested and renewed",
    help: "For a client, or for a person who signs in.",
  },
  {
    value: "mutual-tls",
    title: "mutual-tls – a client certificate",
    help: "The connection itself proves who is calling.",
  },
  {
    value: "signed",
    title: "signed – a signature computed for each call",
    help: "The scheme says what is signed and which headers are set.",
  },
  {
    value: "login",
    title: "login – a token that a request of your own gives",
    help: "One login however many runs wait; again when the token ends or is refused.",
  },
  {
    value: "secret",
    title: "secret – what deliveries to a webhook are verified with",
    help: "The sender signs with it. It is sent nowhere.",
  },
];

/** What is typed into the form; only what the kind needs is sent. Secrets that are left blank stay as they are. */
export interface CredentialForm {
  name: string;
  kind: CredentialKind;
  token: string;
  user: string;
  password: string;
  parts: {
    place: "header" | "query" | "cookie" | "path" | "body";
    name: string;
    prefix: string;
    secret: string;
  }[];
  secrets: { name: string; secret: string }[];
  scheme: { base: string; signature: string; headers: string };
  /** Parts of a scheme that the form does not show: left as they are. */
  restOfScheme: Record<string, unknown>;
  login: LoginForm;
  tls: CertificateForm;
  oauth: OAuthForm;
  hosts: string;
  endsOn: string;
  overlap: string;
  mayUse: string;
  mayChange: string;
}

export function emptyForm(): CredentialForm {
  return {
    name: "",
    kind: "bearer",
    token: "",
    user: "",
    password: "",
    parts: [{ place: "header", name: "X-Api-Key", prefix: "", secret: "" }],
    secrets: [{ name: "key", secret: "" }],
    scheme: {
      base: "${request.method}\n${request.path}\n${time.seconds}\n${nonce}",
      signature: "base64.encode(hmacSha256(secret.key, base))",
      headers: "X-Time: ${time.seconds}\nX-Nonce: ${nonce}\nX-Signature: ${signature}",
    },
    restOfScheme: {},
    login: emptyLogin(),
    tls: { certificate: "", privateKey: "", passphrase: "", pkcs12: "", authority: "" },
    oauth: emptyOAuth(),
    hosts: "",
    endsOn: "",
    overlap: "",
    mayUse: "",
    mayChange: "",
  };
}

/** The form of a credential that is there: everything but its secrets. */
export function formOf(detail: CredentialDetail): CredentialForm {
  const settings = detail.settings as Record<string, unknown>;
  const text = (name: string) => (typeof settings[name] === "string" ? settings[name] : "");
  const form = emptyForm();
  form.name = detail.name;
  form.kind = detail.kind as CredentialKind;
  form.user = text("user");
  form.hosts = detail.hosts.join(", ");
  form.endsOn = text("endsOn").slice(0, 10);
  form.mayUse = detail.mayUse.join(", ");
  form.mayChange = detail.mayChange.join(", ");
  form.tls = { ...form.tls, certificate: text("certificate"), authority: text("authority") };
  if (detail.kind === "api-key")
    form.parts = (settings["parts"] as CredentialForm["parts"]).map((part) => ({ ...part, secret: "" }));
  if (detail.kind === "signed") {
    const { base, signature, headers, ...rest } = settings["scheme"] as Record<string, unknown>;
    form.secrets = (settings["secrets"] as string[]).map((name) => ({ name, secret: "" }));
    form.scheme = {
      base: String(base),
      signature: String(signature),
      headers: linesOf((headers ?? {}) as Record<string, string>, ": "),
    };
    form.restOfScheme = rest;
  }
  if (detail.kind === "login") {
    form.secrets = (settings["secrets"] as string[]).map((name) => ({ name, secret: "" }));
    form.login = loginFormOf(settings["scheme"] as LoginInput);
  }
  if (detail.kind === "oauth2") form.oauth = oauthFormOf(settings);
  return form;
}

/** What the form stands for, and a fault for each line that is none. */
export function readCredential(form: CredentialForm): {
  input: CredentialInput;
  faults: Record<string, string>;
} {
  const faults: Record<string, string> = {};
  const common = {
    hosts: namesOf(form.hosts),
    endsOn: form.endsOn || null,
    mayUse: namesOf(form.mayUse),
    mayChange: namesOf(form.mayChange),
    ...typed("overlap", form.overlap),
  };
  return { input: { ...kindOf(form, faults), ...common } as CredentialInput, faults };
}

function kindOf(form: CredentialForm, faults: Record<string, string>): object {
  const { kind } = form;
  switch (kind) {
    case "bearer":
      return { kind, ...typed("token", form.token) };
    case "secret":
      return { kind, ...typed("secret", form.token) };
    case "basic":
    case "digest":
      return { kind, user: form.user, ...typed("password", form.password) };
    case "mutual-tls":
      return { kind, ...certificateFields(form.tls) };
    case "oauth2":
      return { kind, ...readOAuth(form.oauth, form, faults) };
    case "api-key":
      return {
        kind,
        parts: form.parts.map(({ place, name, prefix, secret }) => ({
          place,
          name,
          prefix: prefix === "" ? "" : `${prefix.trim()} `,
          ...typed("secret", secret),
        })),
      };
    case "login":
      return { kind, secrets: secretsOf(form), scheme: readLogin(form.login, faults) };
    case "signed": {
      const { base, signature, headers } = form.scheme;
      const scheme = {
        ...form.restOfScheme,
        base,
        signature,
        headers: readLines(headers, ":", "scheme.headers", faults),
      };
      return { kind, secrets: secretsOf(form), scheme };
    }
  }
}

function secretsOf({ secrets }: CredentialForm): Record<string, string | null> {
  return Object.fromEntries(
    secrets.filter(({ name }) => name !== "").map(({ name, secret }) => [name, secret || null]),
  );
}

/** What will be sent, with the secret masked, while it is typed: as many signs as were typed are counted. */
export function sentPreview(form: CredentialForm): string[] {
  const masked = (secret: string): string =>
    secret.trim() === "" ? "•••" : `••• (${[...secret.trim()].length} signs)`;
  switch (form.kind) {
    case "bearer":
      // The word is added, and taken off what was pasted with it.
      return [`Authorization: Bearer ${masked(form.token.trim().replace(/^bearer\s+/i, ""))}`];
    case "basic":
      return [`Authorization: Basic ${form.user || "user"}:${masked(form.password)}, in Base64`];
    case "digest":
      return [`Authorization: Digest username="${form.user}", response="•••"`];
    case "api-key":
      return form.parts.map(({ place, name, prefix, secret }) => {
        const where = place === "header" ? "" : `${place} `;
        return `${where}${name || "name"}: ${prefix}${masked(secret)}`;
      });
    default:
      return [];
  }
}
