import { createClient, routes, type Client, type RunDetail } from "@copper-kettle/contract";
import type { Fault, LoggedRequest } from "@copper-kettle/standins";
import { spawn, type ChildProcess } from "node:child_process";
import { once } from "node:events";
import { mkdtemp, readFile, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { ckettle, root, until, type Said } from "./kit.js";

/** The demo with its examples and stand-ins; only tests start its schedules. */
export class Examples {
  private constructor(
    readonly folder: string,
    readonly demo: ChildProcess,
    readonly client: Client,
    /** The addresses of the stand-ins. */
    readonly at: Record<string, string>,
  ) {}

  static async start(): Promise<Examples> {
    const folder = await mkdtemp(join(tmpdir(), "ckettle-examples-"));
    const args = [join(root, "cli/bin/ckettle.cjs"), "--data", folder, "demo", "--port", "0"];
    const demo = spawn(process.execPath, args, { stdio: ["ignore", "ignore", "pipe"] });
    let said = "";
    demo.stderr.on("data", (piece: Buffer) => (said += piece.toString()));
    await until(() => said.includes("Stop everything with"), "the demo runs", 100_000);
    const read = async (name: string): Promise<string> => (await readFile(join(folder, name), "utf8")).trim();
    const { url } = JSON.parse(await read("service.json")) as { url: string };
    const client = createClient({ baseUrl: url, token: await read("token") });
    const at = JSON.parse(await read("stand-ins.json")) as Record<string, string>;
    await until(async () => {
      const { runs } = await client.call(routes.listRuns);
      return runs.every((run) => run.state === "succeeded" || run.waits[0]?.name === "boards-marit");
    }, "what the demo starts has ended");
    for (const { workflow: name, name: trigger, kind } of (
      await client.call(routes.listTriggers, { query: {} })
    ).triggers)
      if (kind === "schedule")
        await client.call(routes.switchTrigger, { params: { name, trigger }, body: { on: false } });
    return new Examples(folder, demo, client, at);
  }

  async close(): Promise<void> {
    this.demo.kill("SIGTERM");
    await once(this.demo, "exit");
    await rm(this.folder, { recursive: true, force: true });
  }

  async reset(): Promise<void> {
    for (const name of ["passes", "notices", "tanks", "boards", "ledger", "staff"])
      await this.control(name, "POST", "reset", {});
  }

  async control(name: string, method: string, what: string, body: object): Promise<void> {
    await fetch(`${this.at[name]}/_control/${what}`, {
      method,
      headers: { "Content-Type": "application/json" },
      body: JSON.stringify(body),
    });
  }

  faults(name: string, list: Fault[]): Promise<void> {
    return this.control(name, "PUT", "faults", { faults: list });
  }

  async arrived(name: string, method: string): Promise<LoggedRequest[]> {
    const { requests } = (await (await fetch(`${this.at[name]}/_control/requests`)).json()) as {
      requests: LoggedRequest[];
    };
    return requests.filter((request) => request.method === method);
  }

  ckettle(args: string[]): Promise<Said> {
    return ckettle(args, { COPPER_KETTLE_DATA: this.folder });
  }

  /** Starts an example by the command line, waits, and gives its response. */
  async start(name: string, ...inputs: string[]): Promise<Said & { body: never }> {
    const said = await this.ckettle(["start", name, ...inputs.flatMap((input) => ["-i", input]), "--wait"]);
    return { ...said, body: (said.out ? JSON.parse(said.out) : null) as never };
  }

  async last(name: string): Promise<RunDetail> {
    const { runs } = await this.client.call(routes.listRuns, { query: { workflow: name, limit: 1 } });
    return this.client.call(routes.run, { params: { id: runs[0]?.id as string } });
  }

  /** The texts of what was posted to the boards. */
  async posts(): Promise<string[]> {
    return (await this.arrived("boards", "POST")).map(
      ({ body }) => (body as { content: { text: string }[] }).content[0]?.text ?? "",
    );
  }
}
