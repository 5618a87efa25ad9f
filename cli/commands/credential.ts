import { routes } from "@copper-kettle/contract";
import { password } from "@inquirer/prompts";
import type { Command } from "commander";
import { readFileSync } from "node:fs";
import { parse as parseYaml } from "yaml";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { say, show, table, timeText } from "../output.js";
import { readText } from "./workflow.js";

interface AddOptions {
  kind: string;
  part: string[];
  host: string[];
  user?: string;
  scheme?: string;
  secret: string[];
}

const collect = (value: string, before: string[]): string[] => [...before, value];

export function addCredential(program: Command): void {
  const group = program.command("credential").description("credentials: add, list, check, remove");
  group
    .command("add")
    .description(
      "add or replace a credential; its secrets are asked for, or read from standard input, one a line",
    )
    .argument("<name>")
    .option("--kind <kind>", "bearer, basic, digest, api-key or signed", "bearer")
    .option(
      "--part <place:name[:prefix]>",
      "of an api-key: header:X-Key, query:key, cookie:sid, path:key, body:key; can be repeated",
      collect,
      [],
    )
    .option("--user <name>", "of basic and digest: the user; the password is the secret")
    .option("--scheme <file>", "of signed: the signing scheme, as YAML or JSON")
    .option(
      "--secret <name>",
      "of signed: the name of a secret that the scheme uses; can be repeated",
      collect,
      [],
    )
    .option(
      "--host <host>",
      "a host that it may be sent to, with its port where it is not the usual one; can be repeated",
      collect,
      [],
    )
    .action(async (name: string, options: AddOptions, command: Command) => {
      const globals = globalsOf(command);
      const body = await inputOf(options);
      const { credential, removed } = await clientOf(globals).call(routes.putCredential, {
        params: { name },
        body: body as never,
      });
      if (removed.length > 0) say(`Taken off the secret: ${removed.join(", ")}.`);
      show(
        globals,
        credential,
        () =>
          `${name}: will send ${credential.shown.map((part) => `${part.place} ${part.name}: ${part.value}`).join(", ")}`,
      );
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
        item.shown.map((part) => `${part.name}: ${part.value}`).join(", "),
        item.hosts.join(", ") || "any host",
        item.usedBy.join(", "),
        timeText(item.lastUsedAt),
      ]);
      show(globals, credentials, () =>
        table(["NAME", "KIND", "SENDS", "TO", "USED BY", "LAST USED"], rows, "There are no credentials yet."),
      );
    });
  group
    .command("check")
    .description(
      "make a real reading call with a credential, and say in plain words what came back; exit code 1 when it is refused",
    )
    .argument("<name>")
    .requiredOption("--call <url>", "an address that wants this credential")
    .action(async (name: string, options: { call: string }, command: Command) => {
      const globals = globalsOf(command);
      const result = await clientOf(globals).call(routes.checkCredential, {
        params: { name },
        body: { url: options.call },
      });
      show(globals, result, () => result.sentence);
      if (!result.ok) throw new Exit(exitCodes.runFailed);
    });
  group
    .command("remove")
    .description("remove a credential")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(routes.removeCredential, { params: { name } });
      say(`${name} is removed.`);
    });
}

async function inputOf(options: AddOptions): Promise<object> {
  const hosts = options.host;
  switch (options.kind) {
    case "bearer": {
      const [token] = await secrets(["Token"]);
      return { kind: "bearer", token, hosts };
    }
    case "basic":
    case "digest": {
      if (!options.user)
        throw new Exit(exitCodes.wrongUse, `A credential of kind ${options.kind} needs --user.`);
      const [password] = await secrets(["Password"]);
      return { kind: options.kind, user: options.user, password, hosts };
    }
    case "signed": {
      if (!options.scheme || options.secret.length === 0)
        throw new Exit(
          exitCodes.wrongUse,
          "A signed credential needs --scheme FILE and a --secret NAME for each secret that it uses.",
        );
      const scheme = readScheme(options.scheme);
      const values = await secrets(options.secret);
      return {
        kind: "signed",
        scheme,
        secrets: Object.fromEntries(options.secret.map((name, index) => [name, values[index]])),
        hosts,
      };
    }
    case "api-key": {
      const parts = partsOf(options.part);
      const values = await secrets(parts.map((part) => part.name));
      return {
        kind: "api-key",
        parts: parts.map((part, index) => ({ ...part, secret: values[index] })),
        hosts,
      };
    }
    default:
      throw new Exit(
        exitCodes.wrongUse,
        `A credential's kind is bearer, basic, digest, api-key or signed, not "${options.kind}".`,
      );
  }
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

function readScheme(file: string): unknown {
  try {
    return parseYaml(readText(file));
  } catch (error) {
    throw error instanceof Exit
      ? error
      : new Exit(exitCodes.wrongUse, `${file} is neither YAML nor JSON: ${(error as Error).message}`);
  }
}

/** Asks without echo in a terminal; else reads standard input, one secret a line. */
async function secrets(names: string[]): Promise<string[]> {
  if (process.stdin.isTTY) {
    const given: string[] = [];
    for (const name of names)
      given.push(await password({ message: `${name}:`, mask: "•" }, { output: process.stderr }));
    return given;
  }
  const lines = readFileSync(0, "utf8").split(/\r?\n/);
  return names.map((name, index) => {
    const line = lines[index];
    if (!line)
      throw new Exit(
        exitCodes.wrongUse,
        `The secret ${name} is missing on standard input (line ${index + 1}).`,
      );
    return line;
  });
}
