import { sessionRoutes } from "@copper-kettle/contract";
import { spawn, type ChildProcess } from "node:child_process";
import type { Command } from "commander";
import { readFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { clientOf, dataFolder, Exit, exitCodes, globalsOf, type Globals } from "../context.js";
import { say } from "../output.js";

/** A path in the installation, from its root. */
export function installed(path: string): string {
  return fileURLToPath(new URL(`../../../${path}`, import.meta.url));
}

interface ServeOptions {
  port?: string;
  listen?: string;
  allowAddress?: string[];
  hostName?: string[];
  publicUrl?: string;
  logLevel?: string;
}

const collect = (value: string, before: string[] = []): string[] => [...before, value];

export function addServe(program: Command): void {
  program
    .command("serve")
    .description("run the service")
    .option("--port <number>", "port to listen on (default 4100)")
    .option("--listen <address>", "address to listen on (default 127.0.0.1)")
    .option(
      "--allow-address <address>",
      "an address of this machine's own network that calls may go to; repeat it for more",
      collect,
    )
    .option(
      "--host-name <name>",
      "another host name that the service responds to; repeat it for more",
      collect,
    )
    .option("--public-url <url>", "the address under which people reach the service, if it is not its own")
    .option("--log-level <level>", "trace, debug, info, warn, error or silent")
    .action(async (options: ServeOptions, command: Command) => {
      const globals = globalsOf(command);
      const child = startService(globals, options);
      await untilReady(globals, child);
      say(await greeting(globals));
      throw new Exit(await ended(child));
    });
}

/** Starts the service's entry as a child; what it logs goes to standard error. */
export function startService(globals: Globals, options: ServeOptions): ChildProcess {
  // Files, look-ups of host names and the database share these threads; four are few.
  const env = { UV_THREADPOOL_SIZE: "16", ...process.env, COPPER_KETTLE_DATA: dataFolder(globals) };
  const set = (name: string, value: string | undefined): void => {
    if (value !== undefined) Object.assign(env, { [name]: value });
  };
  set("COPPER_KETTLE_PORT", options.port);
  set("COPPER_KETTLE_LISTEN", options.listen);
  set("COPPER_KETTLE_ALLOW_ADDRESSES", options.allowAddress?.join(","));
  set("COPPER_KETTLE_HOST_NAMES", options.hostName?.join(","));
  set("COPPER_KETTLE_PUBLIC_URL", options.publicUrl);
  set("COPPER_KETTLE_LOG", options.logLevel);
  return passSignals(
    spawn(process.execPath, [installed("service/dist/main.js")], {
      env,
      stdio: ["ignore", "inherit", "inherit"],
    }),
  );
}

/** Hands SIGINT and SIGTERM on to a child, once. */
export function passSignals(child: ChildProcess): ChildProcess {
  for (const signal of ["SIGINT", "SIGTERM"] as const) process.on(signal, () => void child.kill("SIGTERM"));
  return child;
}

export function ended(child: ChildProcess): Promise<number> {
  const codeOf = (code: number | null, signal: NodeJS.Signals | null): number =>
    code ?? (signal === "SIGTERM" ? 0 : 1);
  if (child.exitCode !== null || child.signalCode !== null)
    return Promise.resolve(codeOf(child.exitCode, child.signalCode));
  return new Promise((resolve) => child.once("exit", (code, signal) => resolve(codeOf(code, signal))));
}

/** Waits until the child's own service answers, or has ended. */
export async function untilReady(globals: Globals, child: ChildProcess): Promise<void> {
  const noted = join(dataFolder(globals), "service.json");
  for (let tries = 0; tries < 600; tries++) {
    if (child.exitCode !== null || child.signalCode !== null) throw new Exit(await ended(child));
    try {
      const { url, pid } = JSON.parse(readFileSync(noted, "utf8")) as { url: string; pid: number };
      if (pid === child.pid && (await fetch(`${url}/readyz`)).ok) return;
    } catch {
      // not there yet
    }
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Exit(exitCodes.unreachable, "The service did not start within 30 seconds.");
}

/** What a person needs to go on: the console's address with a link that signs in. */
export async function greeting(globals: Globals): Promise<string> {
  const { url } = await clientOf({ ...globals, url: undefined }).call(sessionRoutes.signInLink);
  const address = new URL(url).origin;
  return `\nCopper Kettle is running at ${address}\nOpen the console with this link (valid once, for ten minutes):\n\n  ${url}\n`;
}
