import { createHash } from "node:crypto";
import { createReadStream } from "node:fs";
import { readdir, stat, writeFile } from "node:fs/promises";
import { join, relative, sep } from "node:path";

/** Lists the files of a folder with their digests, in the form that `sha256sum -c` reads. */
export const sumsFile = "SHA256SUMS";

/** Writes the digest of each file in a folder; returns the digest of that list, and what it counted. */
export async function writeSums(folder: string): Promise<{ sums: string; bytes: number; files: number }> {
  const lines: string[] = [];
  let bytes = 0;
  for (const entry of await readdir(folder, { recursive: true, withFileTypes: true })) {
    if (!entry.isFile()) continue;
    const path = join(entry.parentPath, entry.name);
    bytes += (await stat(path)).size;
    lines.push(`${await digestOf(path)}  ${relative(folder, path).split(sep).join("/")}\n`);
  }
  const text = lines.sort((one, other) => (one.slice(66) < other.slice(66) ? -1 : 1)).join("");
  await writeFile(join(folder, sumsFile), text, { mode: 0o600 });
  return { sums: createHash("sha256").update(text).digest("hex"), bytes, files: lines.length };
}

/** The SHA-256 of a file, as hex. */
export async function digestOf(path: string): Promise<string> {
  const hash = createHash("sha256");
  for await (const piece of createReadStream(path)) hash.update(piece as Buffer);
  return hash.digest("hex");
}
