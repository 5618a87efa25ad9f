import { routes } from "@copper-kettle/contract";
import { password } from "@inquirer/prompts";
import type { Command } from "commander";
import { readFileSync } from "node:fs";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { say, show, table, timeText } from "../output.js";

interface AddOptions {
  kind: string;
  part: string[];
  host: string[];
}

const collect = (value: string, before: string[]): string[] => [...before, value];

export function addCredential(program: Command): void {
  const group = program.command("credential").description("credentials: add, list, remove");
  group
    .command("add")
    .description(
      "add or replace a credential; its secrets are asked for, or read from standard input, one a line",
    )
    .argument("<name>")
    .option("--kind <kind>", "bearer or api-key", "bearer")
    .option(
      "--part <place:name[:prefix]>",
      "of an api-key: header:X-Key, query:key, cookie:sid; can be repeated",
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
    .command("remove")
    .description("remove a credential")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(routes.removeCredential, { params: { name } });
      say(`${name} is removed.`);
    });
}

async function inputOf(options: AddOptions): Promise<object> {
  if (options.kind === "bearer") {
    const [token] = await secrets(["Token"]);
    return { kind: "bearer", token, hosts: options.host };
  }
  if (options.kind !== "api-key")
    throw new Exit(exitCodes.wrongUse, `A credential's kind is bearer or api-key, not "${options.kind}".`);
  if (options.part.length === 0)
    throw new Exit(
      exitCodes.wrongUse,
      "An api-key needs at least one --part, such as --part header:X-Api-Key or --part query:key.",
    );
  const parts = options.part.map((text) => {
    const match = /^(header|query|cookie):([^:]+)(?::(.*))?$/.exec(text);
    if (!match)
      throw new Exit(
        exitCodes.wrongUse,
        `A part is place:name or place:name:prefix, with header, query or cookie as its place; this is "${text}".`,
      );
    return { place: match[1], name: match[2] as string, prefix: match[3] ? `${match[3].trim()} ` : "" };
  });
  const values = await secrets(parts.map((part) => part.name));
  return {
    kind: "api-key",
    parts: parts.map((part, index) => ({ ...part, secret: values[index] })),
    hosts: options.host,
  };
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
