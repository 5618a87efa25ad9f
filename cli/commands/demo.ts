import { routes, type Client } from "@copper-kettle/contract";
import { parseJson, type JsonObject } from "@copper-kettle/core";
import { spawn, type ChildProcess } from "node:child_process";
import type { Command } from "commander";
import { readFileSync } from "node:fs";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { say } from "../output.js";
import { ended, greeting, installed, passSignals, startService, untilReady } from "./serve.js";

/** examples/demo.json: what the demo puts into a service. */
interface DemoPlan {
  credentials: { name: string; standIn: string; input: JsonObject }[];
  workflows: string[];
  starts: { workflow: string; inputs: JsonObject }[];
}

export function addDemo(program: Command): void {
  program
    .command("demo")
    .description(
      "run the service with simulated outside services, demo credentials and the example workflows",
    )
    .option("--port <number>", "port to listen on", "4100")
    .option("--log-level <level>", "how much the service logs", "warn")
    .action(async (options: { port: string; logLevel: string }, command: Command) => {
      const globals = { ...globalsOf(command) };
      globals.data ??= installed(".demo");
      say("Starting the stand-ins for the outside services …");
      const { child: standIns, addresses } = await startStandIns();
      say("Starting the service …");
      const service = startService(globals, {
        ...options,
        allowAddress: Object.values(addresses).map((url) => new URL(url).host),
      });
      try {
        await untilReady(globals, service);
        await load(clientOf({ ...globals, url: undefined }), addresses);
        for (const [name, url] of Object.entries(addresses)) say(`  ${name.padEnd(8)} ${url}`);
        say(await greeting(globals));
        say("Stop with Ctrl+C. What the demo keeps lies in " + globals.data);
        throw new Exit(await ended(service));
      } finally {
        service.kill("SIGTERM");
        standIns.kill("SIGTERM");
      }
    });
}

/** Starts the stand-ins, and reads the addresses that they print. */
async function startStandIns(): Promise<{ child: ChildProcess; addresses: Record<string, string> }> {
  const child = passSignals(
    spawn(process.execPath, [installed("standins/dist/main.js")], { stdio: ["pipe", "pipe", "inherit"] }),
  );
  const line = await new Promise<string>((resolve, reject) => {
    let text = "";
    child.stdout?.on("data", (piece: Buffer) => {
      text += piece.toString();
      if (text.includes("\n")) resolve(text);
    });
    child.once("exit", () => reject(new Exit(exitCodes.unreachable, "The stand-ins did not start.")));
  });
  return { child, addresses: JSON.parse(line) as Record<string, string> };
}

/** Puts constants, credentials and examples into the service; what is there already is brought up to date. */
async function load(client: Client, addresses: Record<string, string>): Promise<void> {
  const plan = JSON.parse(readFileSync(installed("examples/demo.json"), "utf8")) as DemoPlan;
  for (const [name, value] of Object.entries(addresses))
    await client.call(routes.putConstant, { params: { name }, body: { value } });
  for (const { name, standIn, input } of plan.credentials) {
    const hosts = [new URL(addresses[standIn] as string).host];
    await client.call(routes.putCredential, { params: { name }, body: { ...input, hosts } as never });
  }
  const known = (await client.call(routes.listWorkflows)).workflows;
  for (const name of plan.workflows) {
    const text = readFileSync(installed(`examples/${name}.copper-kettle.yaml`), "utf8");
    if (known.some((workflow) => workflow.name === name)) continue; // somebody may have edited it
    await client.call(routes.pushWorkflow, { params: { name }, body: { text } });
    await client.call(routes.publishWorkflow, { params: { name } });
  }
  if ((await client.call(routes.listRuns, { query: { limit: 1 } })).runs.length > 0) return;
  for (const { workflow, inputs } of plan.starts) {
    await client.call(routes.startRun, {
      params: { name: workflow },
      body: { inputs: parseJson(JSON.stringify(inputs)) as JsonObject },
    });
  }
}
