import { certificateFields, linesOf, namesOf, readLines, typed, type CertificateForm } from "./form-parts.js";

export const grants = [
  {
    value: "client-credentials",
    title: "client credentials – a client, without a person",
    help: "No person is involved. The token belongs to the client.",
  },
  {
    value: "authorization-code",
    title: "authorization code – a person signs in",
    help: "Calls are made in that person's name. A refresh token keeps the sign-in valid.",
  },
  {
    value: "jwt-bearer",
    title: "JWT bearer – an assertion signed by us",
    help: "The assertion says who the token is for (RFC 7523).",
  },
  {
    value: "refresh-token",
    title: "refresh token – from elsewhere",
    help: "Enter the first one here. If it rotates, the newest one is stored.",
  },
  {
    value: "password",
    title: "password – a user's own (legacy)",
    help: "Legacy: use client credentials if the server supports them, without a person's password.",
  },
];

export const clientAuths = [
  { value: "client_secret_basic", title: "client_secret_basic – secret in the header" },
  { value: "client_secret_post", title: "client_secret_post – secret in the body" },
  { value: "private_key_jwt", title: "private_key_jwt – an assertion signed with a key" },
  { value: "tls_client_auth", title: "tls_client_auth – a client certificate" },
  { value: "none", title: "none – a public client" },
];

/** What is typed of an oauth2 credential; lists and parameters as text. */
export interface OAuthForm {
  grant: string;
  issuer: string;
  tokenUrl: string;
  authorizationUrl: string;
  clientId: string;
  clientAuth: string;
  clientSecret: string;
  keyId: string;
  scopes: string;
  audience: string;
  resource: string;
  parameters: string;
  authorizationParameters: string;
  refreshToken: string;
  subject: string;
  /** Further claims of assertions that the form does not show. */
  restOfAssertion: Record<string, string>;
}

export function emptyOAuth(): OAuthForm {
  return {
    grant: "client-credentials",
    issuer: "",
    tokenUrl: "",
    authorizationUrl: "",
    clientId: "",
    clientAuth: "client_secret_basic",
    clientSecret: "",
    keyId: "",
    scopes: "",
    audience: "",
    resource: "",
    parameters: "",
    authorizationParameters: "",
    refreshToken: "",
    subject: "",
    restOfAssertion: {},
  };
}

export function oauthFormOf(settings: Record<string, unknown>): OAuthForm {
  const form = emptyOAuth();
  const texts = [
    "grant",
    "issuer",
    "tokenUrl",
    "authorizationUrl",
    "clientId",
    "clientAuth",
    "keyId",
    "audience",
  ] as const;
  for (const name of texts) if (typeof settings[name] === "string") form[name] = settings[name];
  const list = (name: string) => (settings[name] ?? []) as string[];
  const map = (name: string) => (settings[name] ?? {}) as Record<string, string>;
  const { subject = "", ...rest } = map("assertion");
  return {
    ...form,
    scopes: list("scopes").join(" "),
    resource: list("resource").join(" "),
    parameters: linesOf(map("parameters"), "="),
    authorizationParameters: linesOf(map("authorizationParameters"), "="),
    subject,
    restOfAssertion: rest,
  };
}

/** Which fields the chosen grant and client authentication use. */
export function oauthUses({ grant, clientAuth }: OAuthForm) {
  const signs = clientAuth === "private_key_jwt" || grant === "jwt-bearer";
  return {
    signIn: grant === "authorization-code",
    secret: clientAuth.startsWith("client_secret"),
    certificate: signs || clientAuth === "tls_client_auth",
    keyId: signs,
    person: grant === "password",
    refreshToken: grant === "refresh-token",
    subject: grant === "jwt-bearer",
  };
}

/** Fields of the credential's form that an oauth2 credential uses too. */
interface Shared {
  user: string;
  password: string;
  tls: CertificateForm;
}

/** What the form of an oauth2 credential stands for. */
export function readOAuth(oauth: OAuthForm, form: Shared, faults: Record<string, string>): object {
  const uses = oauthUses(oauth);
  const parameters = readLines(oauth.parameters, "=", "parameters", faults);
  const authorization = readLines(oauth.authorizationParameters, "=", "authorizationParameters", faults);
  const assertion = { ...oauth.restOfAssertion, ...typed("subject", oauth.subject) };
  const some = (map: object) => Object.keys(map).length > 0;
  return {
    grant: oauth.grant,
    clientAuth: oauth.clientAuth,
    ...typed("issuer", oauth.issuer.trim()),
    ...typed("tokenUrl", oauth.tokenUrl.trim()),
    ...(uses.signIn ? typed("authorizationUrl", oauth.authorizationUrl.trim()) : {}),
    ...typed("clientId", oauth.clientId.trim()),
    ...(uses.secret ? typed("clientSecret", oauth.clientSecret) : {}),
    ...(uses.certificate ? certificateFields(form.tls) : {}),
    ...(uses.keyId ? typed("keyId", oauth.keyId) : {}),
    scopes: namesOf(oauth.scopes),
    ...typed("audience", oauth.audience.trim()),
    ...(oauth.resource.trim() ? { resource: namesOf(oauth.resource) } : {}),
    ...(some(parameters) ? { parameters } : {}),
    ...(uses.signIn && some(authorization) ? { authorizationParameters: authorization } : {}),
    ...(uses.person ? { user: form.user, ...typed("password", form.password) } : {}),
    ...(uses.refreshToken ? typed("refreshToken", oauth.refreshToken) : {}),
    ...(some(assertion) ? { assertion } : {}),
  };
}
