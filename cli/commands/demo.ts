import { routes, type Client } from "@copper-kettle/contract";
import { parseJson, type JsonObject } from "@copper-kettle/core";
import { spawn, type ChildProcess } from "node:child_process";
import { generateKeyPairSync } from "node:crypto";
import type { Command } from "commander";
import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { say } from "../output.js";
import { ended, greeting, installed, passSignals, startService, untilReady } from "./serve.js";

/** examples/demo.json: what the demo puts into a service. */
interface DemoPlan {
  apis: { name: string; credential?: string }[];
  credentials: { name: string; standIn: string; input: JsonObject }[];
  workflows: string[];
  /** Stand-ins that are told where to deliver. */
  webhooks: { standIn: string; workflow: string; trigger: string }[];
  starts: { workflow: string; inputs: JsonObject }[];
}

export function addDemo(program: Command): void {
  program
    .command("demo")
    .description("run the service with simulated APIs, demo credentials and example workflows")
    .option("--port <number>", "port to listen on", "4100")
    .option("--log-level <level>", "how much the service logs", "warn")
    .action(async (options: { port: string; logLevel: string }, command: Command) => {
      const globals = { ...globalsOf(command) };
      globals.data ??= installed(".demo");
      mkdirSync(globals.data, { recursive: true });
      say("Starting the stand-ins …");
      const { child: standIns, addresses } = await startStandIns(join(globals.data, "stand-ins.json"));
      const allowAddress = Object.values(addresses).map((url) => new URL(url).host);
      let stopping = false;
      for (const signal of ["SIGINT", "SIGTERM"] as const) process.on(signal, () => (stopping = true));
      try {
        for (let first = true; ; first = false) {
          say("Starting the service …");
          const service = startService(globals, { ...options, allowAddress });
          await untilReady(globals, service);
          const client = clientOf({ ...globals, url: undefined });
          await load(client, addresses, await introduce(client, addresses["identity"] as string));
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
): Promise<{ child: ChildProcess; addresses: Record<string, string> }> {
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
  return { child, addresses: JSON.parse(line) as Record<string, string> };
}

/**
 * Does what the administrator on the API would: registers our redirect URI and the public half of a key, which is
 * made again each time. Gives the private half, in PEM.
 */
async function introduce(client: Client, identity: string): Promise<string> {
  const { redirectUri } = await client.call(routes.redirectUri);
  const { publicKey, privateKey } = generateKeyPairSync("rsa", { modulusLength: 2048 });
  const ledgerJwk = { ...publicKey.export({ format: "jwk" }), alg: "RS256" };
  await fetch(`${identity}/_control/settings`, {
    method: "PUT",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ redirectUris: [redirectUri], ledgerJwk }),
  });
  return privateKey.export({ type: "pkcs8", format: "pem" }).toString();
}

/** Puts constants, credentials and examples into the service; what is there already is brought up to date. */
async function load(client: Client, addresses: Record<string, string>, key: string): Promise<void> {
  const planText = readFileSync(installed("examples/demo.json"), "utf8")
    .replaceAll('"@identity"', JSON.stringify(addresses["identity"]))
    .replaceAll('"@key"', JSON.stringify(key));
  const plan = JSON.parse(planText) as DemoPlan;
  for (const [name, value] of Object.entries(addresses))
    await client.call(routes.putConstant, { params: { name }, body: { value } });
  for (const { name, standIn, input } of plan.credentials) {
    const hosts = [new URL(addresses[standIn] as string).host];
    await client.call(routes.putCredential, { params: { name }, body: { ...input, hosts } as never });
  }
  for (const { name, credential } of plan.apis) {
    const server = addresses[name] as string;
    const body = {
      url: `${server}/openapi.yaml`,
      server,
      rules: true,
      ...(credential === undefined ? {} : { credential }),
    };
    const before = (await client.call(routes.listApis)).apis.find((api) => api.name === name);
    const { changes } = await client.call(routes.previewApi, { params: { name }, body });
    if (!before || before.server !== server || changes.length > 0)
      await client.call(routes.putApi, { params: { name }, body });
  }
  const known = (await client.call(routes.listWorkflows)).workflows;
  for (const name of plan.workflows) {
    const file = readFileSync(installed(`examples/${name}.copper-kettle.yaml`), "utf8");
    if (known.some((workflow) => workflow.name === name)) continue; // somebody may have edited it
    await client.call(routes.pushWorkflow, { params: { name }, body: { text: file } });
    await client.call(routes.publishWorkflow, { params: { name } });
  }
  for (const { standIn, workflow, trigger } of plan.webhooks) {
    const found = await client
      .call(routes.trigger, { params: { name: workflow, trigger } })
      .catch(() => undefined); // somebody may have taken it out
    // An address that nobody guesses is told only once: the stand-in gets a new one each time, and the older one holds on.
    const address =
      found?.address && found.address.secret !== "none"
        ? (
            await client.call(routes.replaceAddress, {
              params: { name: workflow, trigger },
              body: { overlap: "24h" },
            })
          ).address
        : found?.address?.url;
    await fetch(`${addresses[standIn] as string}/_control/settings`, {
      method: "PUT",
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify({ webhook: address ?? null }),
    });
  }
  if ((await client.call(routes.listRuns, { query: { limit: 1 } })).runs.length > 0) return;
  for (const { workflow, inputs } of plan.starts) {
    await client.call(routes.startRun, {
      params: { name: workflow },
      body: { inputs: parseJson(JSON.stringify(inputs)) as JsonObject },
    });
  }
}
