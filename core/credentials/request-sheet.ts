import type { OAuthCredential } from "./oauth.js";

const grantNames: Record<OAuthCredential["grant"], string> = {
  "client-credentials": "client credentials (RFC 6749, section 4.4)",
  "authorization-code": "authorization code with PKCE (RFC 6749, section 4.1; RFC 7636), with refresh tokens",
  "refresh-token": "refresh token (RFC 6749, section 6)",
  password: "resource owner password (RFC 6749, section 4.3; legacy)",
  "jwt-bearer": "JWT bearer assertion (RFC 7523, section 2.1)",
};

/**
 * The request sheet of a credential, in Markdown: all that the administrator on the API needs to register a
 * client for it, and what has to come back.
 * @param consentUrl where an administrator consents beforehand; undefined while its parts are not known
 */
export function requestSheet(
  name: string,
  credential: OAuthCredential,
  redirectUri: string,
  consentUrl: string | undefined,
): string {
  const signsIn = credential.grant === "authorization-code";
  const rows: [string, string][] = [
    ["Name of the client", `Copper Kettle (${name})`],
    ["Kind of client", credential.clientAuth === "none" ? "public" : "confidential, a web application"],
    ["Grant", grantNames[credential.grant]],
    ...(signsIn ? ([["Redirect URI", `\`${redirectUri}\``]] as [string, string][]) : []),
    ["Client authentication", `\`${credential.clientAuth}\``],
    ["Scopes", credential.scopes.map((scope) => `\`${scope}\``).join(", ") || "to be agreed"],
    ...(credential.audience ? ([["Audience", `\`${credential.audience}\``]] as [string, string][]) : []),
    ...(credential.resource?.length
      ? ([["Resource", credential.resource.map((one) => `\`${one}\``).join(", ")]] as [string, string][])
      : []),
  ];
  const wanted = [
    ...(credential.issuer || credential.tokenUrl
      ? []
      : ["the issuer, or the token endpoint" + (signsIn ? " and the authorization endpoint" : "")]),
    ...(credential.clientId ? [] : ["the client id"]),
    ...(credential.clientAuth.startsWith("client_secret") && !credential.clientSecret
      ? ["the client secret, and the day on which it ends; send it by a way that keeps it secret"]
      : []),
    ...(credential.scopes.length > 0 ? ["that the scopes above are granted"] : ["the names of the scopes"]),
  ];
  return [
    `# Request for a client: ${name}`,
    "",
    "Please register a client with these settings.",
    "",
    "| setting | value |",
    "|---|---|",
    ...rows.map(([setting, value]) => `| ${setting} | ${value} |`),
    "",
    ...(signsIn
      ? [
          "The redirect URI must be registered exactly as written here: scheme, host, port and path, without a slash at its end.",
          "",
        ]
      : []),
    ...(credential.clientAuth === "private_key_jwt" && credential.certificate
      ? [
          "The client signs with the key of this certificate:",
          "",
          "```",
          credential.certificate.trim(),
          "```",
          "",
        ]
      : []),
    ...(consentUrl
      ? [
          "Where an administrator has to consent beforehand, this link asks for it:",
          "",
          `<${consentUrl}>`,
          "",
        ]
      : []),
    "What we need back:",
    "",
    ...wanted.map((item) => `- ${item}`),
    "",
  ].join("\n");
}
