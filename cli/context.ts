import { createClient, type Client } from "@copper-kettle/contract";
import type { Command } from "commander";
import { existsSync, readFileSync } from "node:fs";
import { homedir } from "node:os";
import { join } from "node:path";
import { send } from "./http.js";

/** Options that every command takes. */
export interface Globals {
  json?: boolean;
  url?: string;
  token?: string;
  data?: string;
}

/** How a command ends; documented in docs/cli.md. */
export const exitCodes = { done: 0, runFailed: 1, wrongUse: 2, unreachable: 3, notAllowed: 4 } as const;

/** Ends the command with a code and, on standard error, a sentence. */
export class Exit extends Error {
  constructor(
    readonly code: number,
    message = "",
  ) {
    super(message);
  }
}

export function globalsOf(command: Command): Globals {
  return command.optsWithGlobals<Globals>();
}

/** The data folder of the service on this machine. */
export function dataFolder(globals: Globals): string {
  return (
    globals.data ??
    process.env["COPPER_KETTLE_DATA"] ??
    join(process.env["XDG_DATA_HOME"] ?? join(homedir(), ".local", "share"), "copper-kettle")
  );
}

function readIfThere(file: string): string | undefined {
  return existsSync(file) ? readFileSync(file, "utf8") : undefined;
}

/** Where the service is: as given, or as it wrote down itself in its data folder. */
export function serviceUrl(globals: Globals): string {
  const told = globals.url ?? process.env["COPPER_KETTLE_URL"];
  if (told) return told.replace(/\/+$/, "");
  const noted = readIfThere(join(dataFolder(globals), "service.json"));
  return noted ? (JSON.parse(noted) as { url: string }).url : "http://127.0.0.1:4100";
}

/** A client of the service with the access token at hand: the one that was given, or the one in the data folder. */
export function clientOf(globals: Globals): Client {
  const token =
    globals.token ??
    process.env["COPPER_KETTLE_TOKEN"] ??
    readIfThere(join(dataFolder(globals), "token"))?.trim();
  return createClient({ baseUrl: serviceUrl(globals), fetch: send, ...(token ? { token } : {}) });
}
