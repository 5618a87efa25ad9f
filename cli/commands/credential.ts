import { credentialsRoutes, type CredentialDetail, type CredentialInfo } from "@copper-kettle/contract";
import type { Command } from "commander";
import colors from "../colors.js";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { momentText, say, sayNext, show, timeText } from "../output.js";
import { table } from "../table.js";
import { askAgain, inputOf, kinds, type AddOptions } from "./credential-input.js";

const collect = (value: string, before: string[]): string[] => [...before, value];

export function addCredential(program: Command): void {
  const group = program
    .command("credential")
    .description(
      "credentials: add, replace, list, show, check, sign-in, redirect-uri, request-sheet, remove",
    );
  addAdd(group);
  group
    .command("replace")
    .description("give a credential new secrets; its settings stay the same")
    .argument("<name>")
    .option(
      "--overlap <duration>",
      "how long the old secrets stay valid, such as 24h; the new ones are tried first",
    )
    .option("--ends <date>", "when the new secret expires, such as 2027-06-30")
    .action(async (name: string, options: { overlap?: string; ends?: string }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const { kind, settings } = await client.call(credentialsRoutes.credential, { params: { name } });
      const input = await askAgain(settings as Record<string, unknown>, kind);
      const body = {
        ...input,
        endsOn: options.ends ?? null,
        ...(options.overlap ? { overlap: options.overlap } : {}),
      };
      const { credential, removed } = await client.call(credentialsRoutes.putCredential, {
        params: { name },
        body,
      });
      if (removed.length > 0) say(`Removed from the secret: ${removed.join(", ")}.`);
      show(globals, credential, () => line(credential));
    });
  group
    .command("list")
    .description("list the credentials; secrets are never shown")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { credentials } = await clientOf(globals).call(credentialsRoutes.listCredentials);
      const rows = credentials.map((item) => [
        item.name,
        item.kind,
        stateText(item),
        toText(item),
        item.usedBy.join(", "),
        timeText(item.lastUsedAt),
      ]);
      show(globals, credentials, () =>
        table(
          ["NAME", "KIND", "STATE", "TO", "USED BY", { times: "LAST USED" }],
          rows,
          "There are no credentials yet.",
        ),
      );
      const next = credentials.find(({ state }) => state === "sign-in")?.name;
      if (next && !globals.json) sayNext(`Sign in: ckettle credential sign-in ${next}`);
    });
  group
    .command("show")
    .description("show one credential: its settings, token, scopes and users; never its secrets")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const detail = await clientOf(globals).call(credentialsRoutes.credential, { params: { name } });
      show(globals, detail, () => sheet(detail));
    });
  group
    .command("check")
    .description(
      "check a credential with a real token request or call, and explain the result; exit code 1 if it is refused",
    )
    .argument("<name>")
    .option("--call <url>", "a URL to test the credential against")
    .action(async (name: string, options: { call?: string }, command: Command) => {
      const globals = globalsOf(command);
      const result = await clientOf(globals).call(credentialsRoutes.checkCredential, {
        params: { name },
        body: options.call === undefined ? {} : { url: options.call },
      });
      show(globals, result, () => result.sentence);
      if (!result.ok) throw new Exit(exitCodes.runFailed);
    });
  addSignIn(group);
  group
    .command("remove")
    .description("remove a credential")
    .argument("<name>")
    .option("--yes", "even if workflows use it")
    .action(async (name: string, options: { yes?: boolean }, command: Command) => {
      const client = clientOf(globalsOf(command));
      const { usedBy } = await client.call(credentialsRoutes.credential, { params: { name } });
      if (usedBy.length > 0 && !options.yes)
        throw new Exit(
          exitCodes.wrongUse,
          `${name} is used by ${usedBy.join(", ")}: their calls would fail, and the secret would be deleted for good. Add --yes to remove it anyway.`,
        );
      await client.call(credentialsRoutes.removeCredential, { params: { name } });
      say(`Removed ${name}.`);
    });
}

function addAdd(group: Command): void {
  const many = (command: Command, flags: string, help: string): Command =>
    command.option(flags, `${help}; repeat it for more`, collect, []);
  const command = group
    .command("add")
    .description(
      "add or replace a credential; asks for its secrets, or reads them from standard input, one per line",
    )
    .argument("<name>")
    .option("--kind <kind>", kinds.join(", "), "bearer");
  many(
    command,
    "--part <place:name[:prefix]>",
    "of an api-key: header:X-Key, query:key, cookie:sid, path:key, body:key",
  );
  command
    .option("--user <name>", "of basic, digest and the grant password: the user; the password is a secret")
    .option("--scheme <file>", "of signed and login: the scheme, as YAML or JSON");
  many(command, "--secret <name>", "of signed and login: the name of a secret that the scheme uses");
  command
    .option("--certificate <file>", "of mutual-tls and oauth2: the certificate, in PEM")
    .option("--key <file>", "of mutual-tls and oauth2: the private key, in PEM")
    .option("--pkcs12 <file>", "instead of both: a PKCS#12 file; its passphrase is asked for")
    .option("--authority <file>", "certificate authorities to trust besides the usual ones, in PEM")
    .option(
      "--grant <grant>",
      "of oauth2: client-credentials, authorization-code, refresh-token, password (legacy) or jwt-bearer",
    )
    .option("--issuer <url>", "of oauth2: the issuer; its metadata names the endpoints")
    .option("--token-url <url>", "of oauth2: the token endpoint, if the issuer has no metadata")
    .option(
      "--authorization-url <url>",
      "of oauth2: the authorization endpoint, if the issuer has no metadata",
    )
    .option("--client-id <id>", "of oauth2: the client's id")
    .option(
      "--client-auth <method>",
      "of oauth2: client_secret_basic, client_secret_post, private_key_jwt, tls_client_auth or none",
    )
    .option("--key-id <kid>", "of oauth2: the kid of assertions");
  many(command, "--scope <scope>", "of oauth2: a scope to request");
  command.option("--audience <audience>", "of oauth2: the parameter audience");
  many(command, "--resource <uri>", "of oauth2: where the token is to be used (RFC 8707)");
  many(command, "--parameter <name=value>", "of oauth2: another parameter of the token request");
  many(
    command,
    "--authorization-parameter <name=value>",
    "of oauth2: another parameter of the authorization request",
  );
  command.option("--subject <subject>", "of the grant jwt-bearer: who the token is for");
  many(command, "--host <host>", "a host it may be sent to, with the port if it is not the default one");
  command
    .option("--without-secret", "save it incomplete; add its secrets later")
    .option(
      "--overlap <duration>",
      "how long the replaced one stays valid, such as 24h; the new one is tried first",
    )
    .option(
      "--ends <date>",
      "when its secret expires, such as 2027-06-30; you are warned 30, 7 and 1 days before",
    );
  many(command, "--may-use <name>", "who may use it: the name of an access token");
  many(command, "--may-change <name>", "who may change it: the name of an access token");
  command.action(async (name: string, options: AddOptions, own: Command) => {
    const globals = globalsOf(own);
    const body = await inputOf(options);
    const { credential, removed } = await clientOf(globals).call(credentialsRoutes.putCredential, {
      params: { name },
      body,
    });
    if (removed.length > 0) say(`Removed from the secret: ${removed.join(", ")}.`);
    show(globals, credential, () => line(credential));
  });
}

function addSignIn(group: Command): void {
  group
    .command("sign-in")
    .description("print where a person signs in for a credential, and wait for it")
    .argument("<name>")
    .option("--no-wait", "do not wait")
    .action(async (name: string, options: { wait: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const before = await client.call(credentialsRoutes.credential, { params: { name } });
      const begun = await client.call(credentialsRoutes.signInCredential, { params: { name } });
      show(globals, begun, () => begun.url);
      if (!options.wait) return;
      say("Open that address in a browser and sign in. Waiting …");
      while (Date.now() < Date.parse(begun.expiresAt)) {
        await new Promise((resolve) => setTimeout(resolve, 1_000));
        const now = await client.call(credentialsRoutes.credential, { params: { name } });
        if (now.token && now.token.obtainedAt !== before.token?.obtainedAt && now.state === "ready")
          return say(`${name} is signed in${now.token.subject ? ` as ${now.token.subject}` : ""}.`);
      }
      throw new Exit(exitCodes.runFailed, "Nobody signed in within 15 minutes.");
    });
  group
    .command("redirect-uri")
    .description(
      "print the redirect URI of this installation; register it with the authorization server first",
    )
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const answer = await clientOf(globals).call(credentialsRoutes.redirectUri);
      show(globals, answer, () => answer.redirectUri);
    });
  group
    .command("request-sheet")
    .description("print what the administrator of the API needs to know, in Markdown")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const answer = await clientOf(globals).call(credentialsRoutes.requestSheet, { params: { name } });
      show(globals, answer, () => answer.markdown);
    });
  group
    .command("forget-token")
    .description("delete the tokens of a credential; the next call requests a new one or needs a sign-in")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(credentialsRoutes.forgetToken, { params: { name } });
      say(`Deleted the tokens of ${name}.`);
    });
}

const marks: Record<CredentialInfo["state"], string> = {
  ready: "✓ ready",
  unchecked: "○ not checked yet",
  incomplete: "◐ incomplete",
  "sign-in": "→ sign in",
  "sign-in-again": "→ sign in again",
  failing: "✗ failing",
};

function stateText({ state, warning }: CredentialInfo): string {
  const text = marks[state];
  const colored = state === "ready" ? colors.green(text) : state === "unchecked" ? text : colors.yellow(text);
  return warning ? `${colored}, ${colors.yellow("ends soon")}` : colored;
}

/** What a credential sends; a secret is sent nowhere. */
const sendsText = ({ kind, shown }: CredentialInfo): string =>
  kind === "secret"
    ? "nothing: it verifies deliveries"
    : shown.map((part) => `${part.name}: ${part.value}`).join(", ");
const toText = ({ kind, hosts }: CredentialInfo): string =>
  kind === "secret" ? "" : hosts.join(", ") || "any host";

function line(credential: CredentialInfo): string {
  const sends = credential.shown.map((part) => `${part.place} ${part.name}: ${part.value}`).join(", ");
  const what =
    credential.sentence ?? (credential.kind === "secret" ? sendsText(credential) : `will send ${sends}`);
  const next = credential.state === "sign-in" ? ` Next: ckettle credential sign-in ${credential.name}` : "";
  return `${credential.name}: ${what}${next}`;
}

const renewalText = (kind: string, refreshable: boolean): string =>
  kind === "login"
    ? refreshable
      ? "by the request that renews"
      : "by another login"
    : refreshable
      ? "by its refresh token"
      : "by asking again";

/** The last login, as a request and what came of it; its secrets and its response are masked. */
function loginRows(login: CredentialDetail["login"]): [string, string][] {
  if (!login?.last) return [];
  const { at, took, request, response, failure } = login.last;
  const lines = [
    `${request.method} ${request.url}`,
    ...Object.entries(request.headers).map(([name, value]) => `${name}: ${value}`),
    ...(request.body === null ? [] : [request.body]),
    response ? `→ ${response.status}${took === null ? "" : `, ${took} ms`}` : "→ no response",
    ...(response && response.body !== null ? [JSON.stringify(response.body)] : []),
    ...(failure === null ? [] : [failure]),
  ];
  return [
    [`login ${momentText(at)}`, lines.join("\n")],
    ...(login.pausedUntil && Date.parse(login.pausedUntil) > Date.now()
      ? ([["no login before", momentText(login.pausedUntil)]] as [string, string][])
      : []),
  ];
}

function sheet(detail: CredentialDetail): string {
  const { token, settings } = detail;
  const own = Object.entries(settings)
    .filter(
      ([name, value]) =>
        !["hosts", "mayUse", "mayChange", "endsOn", "scopes"].includes(name) && value !== null,
    )
    .map(([name, value]): [string, string] => [
      name,
      typeof value === "string" ? (value.split("\n")[0] ?? "") : JSON.stringify(value),
    ]);
  const scopes = detail.scopes.map(({ scope, asked, granted }) => {
    const has = granted === null ? "not known yet" : granted ? "granted" : "not granted";
    return `${scope} (${[asked ? "" : "not asked for", has].filter(Boolean).join(", ")})`;
  });
  const rows: [string, string][] = [
    ["state", [stateText(detail), detail.sentence].filter(Boolean).join(" – ")],
    ["kind", detail.kind],
    ...own,
    ...(detail.redirectUri ? ([["redirect URI", detail.redirectUri]] as [string, string][]) : []),
    ["sends", sendsText(detail)],
    ["to", toText(detail)],
    ...detail.sources.map(({ api, about, pages }): [string, string] => [
      `${api} says`,
      [...(about === null ? [] : [about]), ...pages.map((page) => `One gets it at ${page}.`)].join("\n"),
    ]),
    ...(scopes.length > 0 ? ([["scopes", scopes.join("\n")]] as [string, string][]) : []),
    ...(token
      ? ([
          [
            "token",
            `obtained ${momentText(token.obtainedAt)}${token.subject ? ` for ${token.subject}` : ""}`,
          ],
          ["valid until", momentText(token.expiresAt) || "it is refused"],
          ["refreshed", renewalText(detail.kind, token.refreshable)],
        ] as [string, string][])
      : []),
    ...loginRows(detail.login),
    ...detail.certificates.map(({ subject, endsAt }): [string, string] => [
      "certificate",
      `${subject}, until ${momentText(endsAt)}`,
    ]),
    ...(detail.endsAt
      ? ([["ends", `${momentText(detail.endsAt)} ${detail.warning?.sentence ?? ""}`]] as [string, string][])
      : []),
    ...(detail.replacedUntil
      ? ([["the old one", `valid until ${momentText(detail.replacedUntil)}`]] as [string, string][])
      : []),
    ["used by", detail.usedBy.join(", ") || "no workflow"],
    ["last used", momentText(detail.lastUsedAt) || "never"],
    ["last worked", momentText(detail.lastWorkedAt) || "not yet"],
    ["may use", detail.mayUse.join(", ") || "everybody"],
    ["may change", detail.mayChange.join(", ") || "everybody"],
  ];
  return table([detail.name, ""], rows, "");
}
