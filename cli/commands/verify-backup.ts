import { createHash } from "node:crypto";
import { createReadStream, existsSync, readdirSync, readFileSync } from "node:fs";
import { join, relative, sep } from "node:path";
import { Exit, exitCodes } from "../context.js";

/** What the service wrote beside a backup. */
export interface BackupNote {
  version: string;
  at: string;
  /** Whether the sealing key is in it. */
  key: boolean;
  bytes: number;
  files: number;
  counts: { workflows: number; runs: number; credentials: number };
}

/** So many files at fault are named. */
const mostNamed = 20;

/**
 * Reads every file of a backup, and compares it with what was written.
 * @throws Exit if it is not a backup, or not whole
 */
export async function verifyBackup(folder: string): Promise<BackupNote> {
  const noted = join(folder, "backup.json");
  if (!existsSync(noted))
    throw new Exit(exitCodes.wrongUse, `${folder} is not a backup: it has no backup.json.`);
  const faults: string[] = [];
  const note = readNote(noted);
  const sums = existsSync(join(folder, "SHA256SUMS")) ? readFileSync(join(folder, "SHA256SUMS"), "utf8") : "";
  if (!note || createHash("sha256").update(sums).digest("hex") !== note.sums)
    throw new Exit(
      exitCodes.wrongUse,
      `${folder} is not whole: its list of files (SHA256SUMS) is not the one that was written.`,
    );
  const listed = new Map(
    sums
      .split("\n")
      .filter(Boolean)
      .map((line) => [line.slice(66), line.slice(0, 64)]),
  );
  for (const [name, digest] of listed) {
    const path = join(folder, name);
    if (!existsSync(path)) faults.push(`${name} is missing`);
    else if ((await digestOf(path)) !== digest) faults.push(`${name} holds other bytes than were written`);
  }
  for (const name of filesIn(folder))
    if (!listed.has(name) && name !== "backup.json" && name !== "SHA256SUMS")
      faults.push(`${name} was added`);
  if (faults.length > 0)
    throw new Exit(
      exitCodes.wrongUse,
      `${folder} is not whole:\n${faults
        .slice(0, mostNamed)
        .map((fault) => `  ${fault}`)
        .join("\n")}${faults.length > mostNamed ? `\n  and ${faults.length - mostNamed} more` : ""}`,
    );
  return note;
}

function readNote(file: string): (BackupNote & { sums: string }) | undefined {
  try {
    return JSON.parse(readFileSync(file, "utf8")) as BackupNote & { sums: string };
  } catch {
    return undefined;
  }
}

function filesIn(folder: string): string[] {
  return readdirSync(folder, { recursive: true, withFileTypes: true })
    .filter((entry) => entry.isFile())
    .map((entry) => relative(folder, join(entry.parentPath, entry.name)).split(sep).join("/"));
}

async function digestOf(path: string): Promise<string> {
  const hash = createHash("sha256");
  for await (const piece of createReadStream(path)) hash.update(piece as Buffer);
  return hash.digest("hex");
}
