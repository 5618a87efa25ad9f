import { routes, type CredentialDetail, type CredentialInfo } from "@copper-kettle/contract";
import type { Command } from "commander";
import colors from "../colors.js";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { say, show, table, timeText } from "../output.js";
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
    .description("give a credential new secrets; its settings stay as they are")
    .argument("<name>")
    .option("--overlap <duration>", "how long the old ones still hold, such as 24h; the new ones go first")
    .option("--ends <date>", "when the new secret ends, such as 2027-06-30")
    .action(async (name: string, options: { overlap?: string; ends?: string }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const { kind, settings } = await client.call(routes.credential, { params: { name } });
      const input = await askAgain(settings as Record<string, unknown>, kind);
      const body = {
        ...input,
        endsOn: options.ends ?? null,
        ...(options.overlap ? { overlap: options.overlap } : {}),
      };
      const { credential, removed } = await client.call(routes.putCredential, { params: { name }, body });
      if (removed.length > 0) say(`Taken off the secret: ${removed.join(", ")}.`);
      show(globals, credential, () => line(credential));
    });
  group
    .command("list")
    .description("all credentials; secrets are never shown")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { credentials } = await clientOf(globals).call(routes.listCredentials);
      const rows = credentials.map((item) => [
        item.name,
        item.kind,
        stateText(item),
        item.shown.map((part) => `${part.name}: ${part.value}`).join(", "),
        item.hosts.join(", ") || "any host",
        item.usedBy.join(", "),
        timeText(item.lastUsedAt),
      ]);
      show(globals, credentials, () =>
        table(
          ["NAME", "KIND", "STATE", "SENDS", "TO", "USED BY", "LAST USED"],
          rows,
          "There are no credentials yet.",
        ),
      );
    });
  group
    .command("show")
    .description("one credential: its settings, its token, its scopes, who uses it; never its secrets")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const detail = await clientOf(globals).call(routes.credential, { params: { name } });
      show(globals, detail, () => sheet(detail));
    });
  group
    .command("check")
    .description(
      "make a real token request, or a reading call to an address, and say in plain words what came back; exit code 1 when it is refused",
    )
    .argument("<name>")
    .option("--call <url>", "an address that wants this credential")
    .action(async (name: string, options: { call?: string }, command: Command) => {
      const globals = globalsOf(command);
      const result = await clientOf(globals).call(routes.checkCredential, {
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
    .option("--yes", "also while workflows use it")
    .action(async (name: string, options: { yes?: boolean }, command: Command) => {
      const client = clientOf(globalsOf(command));
      const { usedBy } = await client.call(routes.credential, { params: { name } });
      if (usedBy.length > 0 && !options.yes)
        throw new Exit(
          exitCodes.wrongUse,
          `${name} is used by ${usedBy.join(", ")}: their calls would fail, and the secret is gone for good. Say --yes to remove it all the same.`,
        );
      await client.call(routes.removeCredential, { params: { name } });
      say(`${name} is removed.`);
    });
}

function addAdd(group: Command): void {
  const many = (command: Command, flags: string, help: string): Command =>
    command.option(flags, `${help}; can be repeated`, collect, []);
  const command = group
    .command("add")
    .description(
      "add or replace a credential; its secrets are asked for, or read from standard input, one a line",
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
    .option("--scheme <file>", "of signed: the signing scheme, as YAML or JSON");
  many(command, "--secret <name>", "of signed: the name of a secret that the scheme uses");
  command
    .option("--certificate <file>", "of mutual-tls and oauth2: the certificate, in PEM")
    .option("--key <file>", "of mutual-tls and oauth2: the private key, in PEM")
    .option("--pkcs12 <file>", "instead of both: a PKCS#12 file; its passphrase is asked for")
    .option("--authority <file>", "authorities that the other side is held to besides the usual ones, in PEM")
    .option(
      "--grant <grant>",
      "of oauth2: client-credentials, authorization-code, refresh-token, password (legacy) or jwt-bearer",
    )
    .option("--issuer <url>", "of oauth2: the issuer; its metadata names the endpoints")
    .option("--token-url <url>", "of oauth2: the token endpoint, where there is no metadata")
    .option("--authorization-url <url>", "of oauth2: the authorization endpoint, where there is no metadata")
    .option("--client-id <id>", "of oauth2: the client's id")
    .option(
      "--client-auth <method>",
      "of oauth2: client_secret_basic, client_secret_post, private_key_jwt, tls_client_auth or none",
    )
    .option("--key-id <kid>", "of oauth2: the kid of assertions");
  many(command, "--scope <scope>", "of oauth2: a scope that is asked for");
  command.option("--audience <audience>", "of oauth2: the parameter audience");
  many(command, "--resource <uri>", "of oauth2: where the token is to be used (RFC 8707)");
  many(command, "--parameter <name=value>", "of oauth2: a further parameter of the token request");
  many(
    command,
    "--authorization-parameter <name=value>",
    "of oauth2: a further parameter of the authorization request",
  );
  command.option("--subject <subject>", "of the grant jwt-bearer: for whom the token is");
  many(
    command,
    "--host <host>",
    "a host that it may be sent to, with its port where it is not the usual one",
  );
  command
    .option("--without-secret", "keep it half filled; its secrets come later")
    .option(
      "--overlap <duration>",
      "how long what it replaces still holds, such as 24h; the new one goes first",
    )
    .option(
      "--ends <date>",
      "when its secret ends, such as 2027-06-30; you are warned 30, 7 and 1 days ahead",
    );
  many(command, "--may-use <name>", "who may use it: the name of an access token");
  many(command, "--may-change <name>", "who may change it: the name of an access token");
  command.action(async (name: string, options: AddOptions, own: Command) => {
    const globals = globalsOf(own);
    const body = await inputOf(options);
    const { credential, removed } = await clientOf(globals).call(routes.putCredential, {
      params: { name },
      body,
    });
    if (removed.length > 0) say(`Taken off the secret: ${removed.join(", ")}.`);
    show(globals, credential, () => line(credential));
  });
}

function addSignIn(group: Command): void {
  group
    .command("sign-in")
    .description("print where a person signs in for a credential, and wait until that is done")
    .argument("<name>")
    .option("--no-wait", "do not wait")
    .action(async (name: string, options: { wait: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const before = await client.call(routes.credential, { params: { name } });
      const begun = await client.call(routes.signInCredential, { params: { name } });
      show(globals, begun, () => begun.url);
      if (!options.wait) return;
      say("Open that address in a browser, and sign in. Waiting …");
      while (Date.now() < Date.parse(begun.expiresAt)) {
        await new Promise((resolve) => setTimeout(resolve, 1_000));
        const now = await client.call(routes.credential, { params: { name } });
        if (now.token && now.token.obtainedAt !== before.token?.obtainedAt && now.state === "ready")
          return say(`${name} is signed in${now.token.subject ? ` as ${now.token.subject}` : ""}.`);
      }
      throw new Exit(exitCodes.runFailed, "Nobody has signed in within a quarter of an hour.");
    });
  group
    .command("redirect-uri")
    .description("the redirect URI of this installation: register it on the other side first")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const answer = await clientOf(globals).call(routes.redirectUri);
      show(globals, answer, () => answer.redirectUri);
    });
  group
    .command("request-sheet")
    .description("what the administrator on the other side needs to know, in Markdown")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const answer = await clientOf(globals).call(routes.requestSheet, { params: { name } });
      show(globals, answer, () => answer.markdown);
    });
  group
    .command("forget-token")
    .description("forget the tokens of a credential; the next call asks for a new one, or wants a sign-in")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(routes.forgetToken, { params: { name } });
      say(`The tokens of ${name} are forgotten.`);
    });
}

const marks: Record<CredentialInfo["state"], string> = {
  ready: "✓ ready",
  "half-filled": "◐ half filled",
  "sign-in": "→ sign in",
  "sign-in-again": "→ sign in again",
  failing: "✗ failing",
};

function stateText({ state, warning }: CredentialInfo): string {
  const text = marks[state];
  const colored = state === "ready" ? colors.green(text) : colors.yellow(text);
  return warning ? `${colored}, ${colors.yellow("ends soon")}` : colored;
}

function line(credential: CredentialInfo): string {
  const sends = credential.shown.map((part) => `${part.place} ${part.name}: ${part.value}`).join(", ");
  const what = credential.state === "ready" ? `will send ${sends}` : (credential.sentence ?? "");
  const next = credential.state === "sign-in" ? ` Next: ckettle credential sign-in ${credential.name}` : "";
  return `${credential.name}: ${what}${next}`;
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
    ["sends", detail.shown.map((part) => `${part.name}: ${part.value}`).join(", ")],
    ["to", detail.hosts.join(", ") || "any host"],
    ...(scopes.length > 0 ? ([["scopes", scopes.join("\n")]] as [string, string][]) : []),
    ...(token
      ? ([
          ["token", `got ${timeText(token.obtainedAt)}${token.subject ? ` for ${token.subject}` : ""}`],
          ["good until", timeText(token.expiresAt) || "it is refused"],
          ["refreshed", token.refreshable ? "by its refresh token" : "by asking anew"],
        ] as [string, string][])
      : []),
    ...detail.certificates.map(({ subject, endsAt }): [string, string] => [
      "certificate",
      `${subject}, until ${timeText(endsAt)}`,
    ]),
    ...(detail.endsAt
      ? ([["ends", `${timeText(detail.endsAt)} ${detail.warning?.sentence ?? ""}`]] as [string, string][])
      : []),
    ...(detail.replacedUntil
      ? ([["the old one", `holds until ${timeText(detail.replacedUntil)}`]] as [string, string][])
      : []),
    ["used by", detail.usedBy.join(", ") || "no workflow"],
    ["last used", timeText(detail.lastUsedAt) || "never"],
    ["last worked", timeText(detail.lastWorkedAt) || "not yet"],
    ["may use", detail.mayUse.join(", ") || "everybody"],
    ["may change", detail.mayChange.join(", ") || "everybody"],
  ];
  return table([detail.name, ""], rows, "");
}
