import { routes, type Retention, type Telling, type TellingInput } from "@copper-kettle/contract";
import type { Command } from "commander";
import { cpSync, existsSync, mkdirSync, readdirSync, renameSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { clientOf, dataFolder, Exit, exitCodes, globalsOf } from "../context.js";
import { say, show } from "../output.js";
import { collect } from "./start.js";

/** Backups, retention, and who is told. */
export function addUpkeep(program: Command): void {
  program
    .command("backup")
    .description("write a consistent copy of everything while the service runs")
    .argument("[folder]", "a name, or a path, under the service's folder of backups; default: a new one")
    .action(async (folder: string | undefined, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const done = await clientOf(globals).call(routes.backup, {
        body: folder === undefined ? {} : { folder },
      });
      show(globals, done, () => done.folder);
      say(
        `${done.files} files, ${Math.ceil(done.bytes / 1024)} KiB. It holds the sealing key: keep it where secrets are kept.`,
      );
    });
  program
    .command("restore")
    .description("put a backup into an empty data folder; unfinished runs are then held")
    .argument("<folder>", "the backup")
    .action((folder: string, _options: unknown, command: Command) => {
      const target = dataFolder(globalsOf(command));
      restore(resolve(folder), target);
      say(`${target} is as it was then. Start it with: ckettle serve --data ${target}`);
      say(
        "Its unfinished runs are held until you let each go on: ckettle run list --state held, ckettle run release ID",
      );
    });

  const retention = program
    .command("retention")
    .description("how long ended runs are kept: show, set, prune");
  retention
    .command("show")
    .description("how long ended runs are kept, and how many of each workflow")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const rules = await clientOf(globals).call(routes.retention);
      show(globals, rules, () => retentionText(rules));
    });
  retention
    .command("set")
    .description("say how long ended runs are kept")
    .option("--days <number>", "older ones are forgotten; 0 for no bound")
    .option("--runs <number>", "so many of each workflow are kept; 0 for no bound")
    .option("--workflow <name>", "only for this workflow")
    .action(async (options: { days?: string; runs?: string; workflow?: string }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const rules = await client.call(routes.retention);
      const bounds = options.workflow
        ? { ...rules.workflows[options.workflow] }
        : { days: rules.days, runs: rules.runs };
      for (const key of ["days", "runs"] as const)
        if (options[key] !== undefined)
          bounds[key] = Number(options[key]) === 0 ? undefined : Number(options[key]);
      const next = options.workflow
        ? { ...rules, workflows: { ...rules.workflows, [options.workflow]: bounds } }
        : { ...rules, ...bounds };
      const kept = await client.call(routes.putRetention, { body: next });
      show(globals, kept, () => retentionText(kept));
    });
  retention
    .command("prune")
    .description("forget now what is too old or too many; it also happens by itself")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const done = await clientOf(globals).call(routes.prune);
      show(globals, done, () => `${done.runs} runs and ${done.files} files are forgotten.`);
    });

  const telling = program
    .command("telling")
    .description("who is told when something needs a person: show, set, try");
  telling
    .command("show")
    .description("the ways by which people are told")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const ways = await clientOf(globals).call(routes.telling);
      show(globals, ways, () => tellingText(ways));
    });
  telling
    .command("set")
    .description("say who is told, by webhook and by mail; a mail password is read from standard input")
    .option("--webhook <url>", "deliver CloudEvents, signed as Standard Webhooks say; none takes it away")
    .option("--smtp <host:port>", "the mail server; none takes mail away")
    .option("--tls <how>", "starttls, from-the-start or none", "starttls")
    .option("--user <name>", "at the mail server; the password comes from standard input")
    .option("--from <address>", "the sender")
    .option("--to <address>", "a receiver; can be repeated", collect, [])
    .option("--off <workflow>", "tell nothing of this workflow; can be repeated", collect, [])
    .action(async (options: TellingOptions, command: Command) => {
      const globals = globalsOf(command);
      const ways = await clientOf(globals).call(routes.putTelling, { body: await tellingInput(options) });
      show(globals, ways, () => tellingText(ways));
      if (ways.secret)
        say(`Deliveries are signed with ${ways.secret}. Give it to the receiver now; it is not shown again.`);
    });
  telling
    .command("try")
    .description("send a message by every way")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { sent } = await clientOf(globals).call(routes.tryTelling);
      show(
        globals,
        sent,
        () => sent.map(({ by, fault }) => `${by}: ${fault ?? "delivered"}`).join("\n") || "No way is set.",
      );
      if (sent.some(({ fault }) => fault !== null)) throw new Exit(exitCodes.runFailed);
    });
}

interface TellingOptions {
  webhook?: string;
  smtp?: string;
  tls: string;
  user?: string;
  from?: string;
  to: string[];
  off: string[];
}

async function tellingInput(options: TellingOptions): Promise<TellingInput> {
  const input: Partial<TellingInput> = {};
  if (options.webhook) input.webhook = options.webhook === "none" ? null : { url: options.webhook };
  if (options.smtp === "none") input.mail = null;
  else if (options.smtp) {
    const [host = "", port = "587"] = options.smtp.split(":");
    const password = options.user ? { user: options.user, password: (await standardInput()).trim() } : {};
    const from = options.from ?? "copper-kettle@localhost";
    input.mail = {
      host,
      port: Number(port),
      tls: options.tls as "starttls",
      from,
      to: options.to,
      ...password,
    };
  }
  if (options.off.length > 0)
    input.workflows = Object.fromEntries(options.off.map((name) => [name, { off: true }]));
  return input as TellingInput;
}

async function standardInput(): Promise<string> {
  let text = "";
  for await (const piece of process.stdin) text += String(piece);
  return text;
}

function tellingText({ webhook, mail, workflows, waiting, lastFault }: Telling): string {
  const off = Object.entries(workflows).flatMap(([name, { off: quiet }]) => (quiet ? [name] : []));
  return [
    `webhook  ${webhook?.url ?? "none"}`,
    `mail     ${mail ? `${mail.to.join(", ")} by ${mail.host}:${mail.port}` : "none"}`,
    ...(off.length > 0 ? [`off      ${off.join(", ")}`] : []),
    ...(waiting > 0 ? [`${waiting} messages could not be delivered yet: ${lastFault ?? ""}`] : []),
  ].join("\n");
}

function retentionText(rules: Retention): string {
  const text = ({ days, runs }: { days?: number | undefined; runs?: number | undefined }): string =>
    `${days === undefined ? "for ever" : `for ${days} days`}, ${runs === undefined ? "any number" : `the last ${runs} runs`}`;
  return [
    `each workflow: ${text(rules)}`,
    ...Object.entries(rules.workflows).map(([name, own]) => `${name}: ${text({ ...rules, ...own })}`),
  ].join("\n");
}

function restore(from: string, target: string): void {
  if (!existsSync(join(from, "backup.json")))
    throw new Exit(exitCodes.wrongUse, `${from} is no backup: it has no backup.json.`);
  if (existsSync(target) && readdirSync(target).length > 0)
    throw new Exit(exitCodes.wrongUse, `${target} is not empty. Name a new folder with --data.`);
  mkdirSync(target, { recursive: true, mode: 0o700 });
  // The mark is there before anything that could run: a copy that breaks off does not go on with old runs.
  writeFileSync(join(target, "restored.json"), JSON.stringify({ from, at: new Date().toISOString() }));
  const database = "copper-kettle.sqlite";
  cpSync(from, target, {
    recursive: true,
    filter: (path) => ![join(from, "backup.json"), join(from, database)].includes(path),
  });
  // The database comes last, and by its name only when it is whole: without it the folder does not start.
  cpSync(join(from, database), join(target, `${database}.part`));
  renameSync(join(target, `${database}.part`), join(target, database));
}
