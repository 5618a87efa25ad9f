import { backupsRoutes } from "@copper-kettle/contract";
import type { Command } from "commander";
import { cpSync, existsSync, mkdirSync, readdirSync, renameSync, writeFileSync } from "node:fs";
import { join, resolve } from "node:path";
import { clientOf, dataFolder, Exit, exitCodes, globalsOf } from "../context.js";
import { say, show } from "../output.js";
import { verifyBackup, type BackupNote } from "./verify-backup.js";

/** `backup` and `restore`. */
export function addBackup(program: Command): void {
  const backup = program
    .command("backup")
    .description("write a consistent copy of everything while the service runs")
    .argument("[folder]", "a name, or a path, under the service's folder of backups; default: a new one")
    .option("--with-key", "copy the sealing key too, which opens every secret of the backup")
    .action(
      async (folder: string | undefined, { withKey = false }: { withKey?: boolean }, command: Command) => {
        const globals = globalsOf(command);
        const done = await clientOf(globals).call(backupsRoutes.backup, {
          body: { ...(folder === undefined ? {} : { folder }), withKey },
        });
        show(globals, done, () => done.folder);
        say(
          `${done.files} files, ${Math.ceil(done.bytes / 1024)} KiB. ${
            done.key
              ? "The backup holds the sealing key: store it where you store secrets."
              : "The sealing key is not in it. Store a copy of it elsewhere: without it no secret of the backup opens."
          }`,
        );
      },
    );
  backup
    .command("verify")
    .description("read every file of a backup, and compare it with what was written")
    .argument("<folder>", "the backup")
    .action(async (folder: string, _options: unknown, command: Command) => {
      const note = await verifyBackup(resolve(folder));
      const { workflows, runs, credentials } = note.counts;
      show(
        globalsOf(command),
        note,
        () =>
          `${folder} is whole: ${note.files} files, ${workflows} workflows, ${runs} runs, ${credentials} credentials; written ${note.at} by version ${note.version}, ${note.key ? "with" : "without"} the sealing key.`,
      );
    });
  program
    .command("restore")
    .description("put a backup into an empty data folder; unfinished runs are then parked")
    .argument("<folder>", "the backup")
    .action(async (folder: string, _options: unknown, command: Command) => {
      const target = dataFolder(globalsOf(command));
      const { key } = await restore(resolve(folder), target);
      if (!key)
        say(
          `The backup holds no sealing key. Before you start the service, put sealing.key into ${target}, or set COPPER_KETTLE_KEY.`,
        );
      say(`${target} is restored. Start the service with: ckettle serve --data ${target}`);
      say(
        "Its unfinished runs are parked until you resume each: ckettle run list --state parked, ckettle run resume ID",
      );
    });
}

async function restore(from: string, target: string): Promise<BackupNote> {
  const note = await verifyBackup(from);
  if (existsSync(target) && readdirSync(target).length > 0)
    throw new Exit(exitCodes.wrongUse, `${target} is not empty. Name a new folder with --data.`);
  mkdirSync(target, { recursive: true, mode: 0o700 });
  // The mark is there before anything that could run: a copy that breaks off does not go on with old runs.
  writeFileSync(join(target, "restored.json"), JSON.stringify({ from, at: new Date().toISOString() }));
  const database = "copper-kettle.sqlite";
  cpSync(from, target, {
    recursive: true,
    filter: (path) => !["backup.json", "SHA256SUMS", database].some((name) => path === join(from, name)),
  });
  // The database comes last, and by its name only when it is whole: without it the folder does not start.
  cpSync(join(from, database), join(target, `${database}.part`));
  renameSync(join(target, `${database}.part`), join(target, database));
  return note;
}
