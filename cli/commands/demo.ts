import { credentialsRoutes, type Client } from "@copper-kettle/contract";
import type { JsonObject } from "@copper-kettle/core";
import { spawn, type ChildProcess } from "node:child_process";
import { generateKeyPairSync, type KeyObject } from "node:crypto";
import type { Command } from "commander";
import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { createServer, type AddressInfo } from "node:net";
import { join } from "node:path";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { say } from "../output.js";
import { loadDemo } from "./demo-load.js";
import { ended, greeting, installed, passSignals, startService, untilReady } from "./serve.js";

export function addDemo(program: Command): void {
  program
    .command("demo")
    .description("run the service with simulated APIs, demo credentials and example workflows")
    .option(
      "--port <number>",
      "port to listen on (COPPER_KETTLE_PORT); another one where it is taken",
      ownPort,
    )
    .option("--log-level <level>", "how much the service logs", "warn")
    .action(async (options: { port: string; logLevel: string }, command: Command) => {
      const globals = { ...globalsOf(command) };
      globals.data ??= installed(".demo");
      mkdirSync(globals.data, { recursive: true });
      const port = String(await portNear(Number(options.port)));
      if (port !== options.port && options.port !== "0")
        say(`Port ${options.port} is taken: this demo listens on ${port}.`);
      say("Starting the stand-ins …");
      const {
        child: standIns,
        addresses,
        before,
      } = await startStandIns(join(globals.data, "stand-ins.json"));
      const allowAddress = Object.values(addresses).map((url) => new URL(url).host);
      let stopping = false;
      for (const signal of ["SIGINT", "SIGTERM"] as const) process.on(signal, () => (stopping = true));
      try {
        for (let first = true; ; first = false) {
          say("Starting the service …");
          const service = startService(globals, { ...options, port, allowAddress });
          await untilReady(globals, service);
          const client = clientOf({ ...globals, url: undefined });
          const key = await introduce(client, addresses["identity"] as string, globals.data);
          await loadDemo(client, { folder: globals.data, addresses, before, key });
          if (first) for (const [name, url] of Object.entries(addresses)) say(`  ${name.padEnd(8)} ${url}`);
          say(await greeting(globals));
          say(
            `The service is process ${service.pid}. Kill it if you like (kill -9 ${service.pid}): it restarts, and runs continue.`,
          );
          say(`Stop everything with Ctrl+C. The demo's data is in ${globals.data}`);
          const code = await ended(service);
          if (stopping || service.signalCode === null) throw new Exit(code);
          say(`\nThe service was ended by ${service.signalCode}.`);
        }
      } catch (error) {
        // Stopped while it was starting: what it was asking has nobody to answer any more.
        if (stopping && !(error instanceof Exit)) throw new Exit(exitCodes.done);
        throw error;
      } finally {
        standIns.kill("SIGTERM");
      }
    });
}

/** Starts the stand-ins, at the addresses that they had before where that is possible, and reads where they are. */
async function startStandIns(
  noted: string,
): Promise<{ child: ChildProcess; addresses: Record<string, string>; before: Record<string, string> }> {
  const before = existsSync(noted) ? (JSON.parse(readFileSync(noted, "utf8")) as Record<string, string>) : {};
  const ports = Object.entries(before).map(([name, url]) => `${name}=${new URL(url).port}`);
  const child = spawn(process.execPath, [installed("standins/dist/main.js"), ...ports], {
    stdio: ["pipe", "pipe", "inherit"],
  });
  const line = await new Promise<string>((resolve, reject) => {
    let text = "";
    passSignals(child).stdout?.on("data", (piece: Buffer) => {
      text += piece.toString();
      if (text.includes("\n")) resolve(text);
    });
    child.once("exit", () => reject(new Exit(exitCodes.unreachable, "The stand-ins did not start.")));
  });
  writeFileSync(noted, line);
  return { child, addresses: JSON.parse(line) as Record<string, string>, before };
}

const ownPort = process.env["COPPER_KETTLE_PORT"] ?? "4100";

/** A port of loopback: the wanted one where it is free, else one that is. */
async function portNear(wanted: number): Promise<number> {
  const free = (port: number): Promise<number | undefined> =>
    new Promise((resolve) => {
      const server = createServer();
      server.once("error", () => resolve(undefined));
      server.listen(port, "127.0.0.1", () => {
        const { port: found } = server.address() as AddressInfo;
        server.close(() => resolve(found));
      });
    });
  return wanted === 0 ? 0 : ((await free(wanted)) ?? (await free(0)) ?? wanted);
}

/**
 * Does what the administrator on the API would: registers our redirect URI and the public half of a key. Gives the private
 * half, in PEM, where it was just made; the public one is noted, so that the credential of an earlier start still holds.
 */
async function introduce(client: Client, identity: string, folder: string): Promise<string | undefined> {
  const { redirectUri } = await client.call(credentialsRoutes.redirectUri);
  const noted = join(folder, "ledger-key.json");
  let privateKey: KeyObject | undefined;
  if (!existsSync(noted)) {
    const pair = generateKeyPairSync("rsa", { modulusLength: 2048 });
    ({ privateKey } = pair);
    writeFileSync(noted, JSON.stringify({ ...pair.publicKey.export({ format: "jwk" }), alg: "RS256" }));
  }
  const ledgerJwk = JSON.parse(readFileSync(noted, "utf8")) as JsonObject;
  await fetch(`${identity}/_control/settings`, {
    method: "PUT",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ redirectUris: [redirectUri], ledgerJwk }),
  });
  return privateKey?.export({ type: "pkcs8", format: "pem" }).toString();
}
