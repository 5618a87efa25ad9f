import { routes } from "@copper-kettle/contract";
import type { Command } from "commander";
import { cpSync, existsSync, mkdirSync, readdirSync, renameSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { clientOf, dataFolder, Exit, exitCodes, globalsOf } from "../context.js";
import { say, show } from "../output.js";

/** `backup` and `restore`. */
export function addBackup(program: Command): void {
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
        `${done.files} files, ${Math.ceil(done.bytes / 1024)} KiB. The backup holds the sealing key: store it where you store secrets.`,
      );
    });
  program
    .command("restore")
    .description("put a backup into an empty data folder; unfinished runs are then parked")
    .argument("<folder>", "the backup")
    .action((folder: string, _options: unknown, command: Command) => {
      const target = dataFolder(globalsOf(command));
      restore(resolve(folder), target);
      say(`${target} is restored. Start the service with: ckettle serve --data ${target}`);
      say(
        "Its unfinished runs are parked until you resume each: ckettle run list --state parked, ckettle run resume ID",
      );
    });
}

function restore(from: string, target: string): void {
  if (!existsSync(join(from, "backup.json")))
    throw new Exit(exitCodes.wrongUse, `${from} is not a backup: it has no backup.json.`);
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
