import { createClient, routes, type Client, type Run, type RunDetail } from "@copper-kettle/contract";
import {
  boards,
  boardsToken,
  startStandIn,
  stays,
  staysKey,
  type Fault,
  type LoggedRequest,
  type StandIn,
} from "@copper-kettle/standins";
import { execFile, spawn, type ChildProcess } from "node:child_process";
import { once } from "node:events";
import { mkdtemp, readFile, rm } from "node:fs/promises";
import { readFileSync } from "node:fs";
import { createServer, type AddressInfo } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { fileURLToPath } from "node:url";

export const root = fileURLToPath(new URL("../", import.meta.url));

/** How the stand-in for the tanks wants its requests signed. */
export const tanksScheme = {
  base: "${request.method}\n${request.path}\n${time.seconds}\n${nonce}\n${base64.encode(sha256(request.body))}",
  signature: "base64.encode(hmacSha256(secret.key, base))",
  headers: {
    "X-Token": "${secret.token}",
    "X-Time": "${time.seconds}",
    "X-Nonce": "${nonce}",
    "X-Signature": "${signature}",
  },
};

export interface Said {
  code: number;
  out: string;
  err: string;
}

/** A service as a process of its own on a data folder of its own, with the stand-ins beside it. */
export class World {
  client!: Client;
  url = "";
  token = "";
  /** All that the service has logged. */
  log = "";
  #child: ChildProcess | undefined;

  private constructor(
    readonly folder: string,
    readonly stays: StandIn,
    readonly boards: StandIn,
    readonly env: Record<string, string>,
  ) {}

  /** Starts stand-ins and service; with `demo` also its constants and credentials. */
  static async start(options: { env?: Record<string, string>; demo?: boolean } = {}): Promise<World> {
    const folder = await mkdtemp(join(tmpdir(), "copper-kettle-"));
    const [first, second] = await Promise.all([startStandIn(stays()), startStandIn(boards())]);
    const allowed = [first, second].map((one) => new URL(one.url).host).join(",");
    const world = new World(folder, first, second, {
      COPPER_KETTLE_ALLOW_ADDRESSES: allowed,
      ...options.env,
    });
    await world.serve();
    if (options.demo !== false) await world.loadDemo();
    return world;
  }

  /** A service on a data folder that is there already, beside the stand-ins of another world. */
  static async on(folder: string, beside: World): Promise<World> {
    const world = new World(folder, beside.stays, beside.boards, beside.env);
    await world.serve();
    return world;
  }

  /** Starts the service; resolves when it is ready. */
  async serve(): Promise<void> {
    const env = {
      ...process.env,
      COPPER_KETTLE_DATA: this.folder,
      COPPER_KETTLE_PORT: "0",
      COPPER_KETTLE_LOG: "debug",
      ...this.env,
    };
    const child = spawn(process.execPath, [join(root, "service/dist/main.js")], {
      env,
      stdio: ["ignore", "pipe", "pipe"],
    });
    child.stdout.on("data", (piece: Buffer) => (this.log += piece.toString()));
    child.stderr.on("data", (piece: Buffer) => (this.log += piece.toString()));
    this.#child = child;
    await until(async () => {
      if (child.exitCode !== null)
        throw new Error(`The service ended with ${child.exitCode}: ${this.log.slice(-2_000)}`);
      const noted = await readFile(join(this.folder, "service.json"), "utf8").catch(() => "");
      const { url, pid } = noted ? (JSON.parse(noted) as { url: string; pid: number }) : { url: "", pid: 0 };
      if (pid !== child.pid || !(await fetch(`${url}/readyz`).catch(() => undefined))?.ok) return false;
      this.url = url;
      return true;
    }, "the service is ready");
    this.token = (await readFile(join(this.folder, "token"), "utf8")).trim();
    this.client = createClient({ baseUrl: this.url, token: this.token });
  }

  get pid(): number {
    return this.#child?.pid as number;
  }

  /** Ends the service's process with a signal, and waits until it is gone. */
  async end(signal: NodeJS.Signals): Promise<number | null> {
    const child = this.#child as ChildProcess;
    if (child.exitCode !== null || child.signalCode !== null) return child.exitCode;
    const gone = once(child, "exit");
    child.kill(signal);
    return ((await gone) as [number | null])[0];
  }

  async killAndServe(): Promise<void> {
    await this.end("SIGKILL");
    await this.serve();
  }

  async close(): Promise<void> {
    await this.end("SIGTERM");
    await Promise.all([this.stays.close(), this.boards.close()]);
    await rm(this.folder, { recursive: true, force: true });
  }

  async loadDemo(): Promise<void> {
    for (const standIn of [this.stays, this.boards]) {
      await this.client.call(routes.putConstant, {
        params: { name: standIn.name },
        body: { value: standIn.url },
      });
    }
    await this.client.call(routes.putCredential, {
      params: { name: "stays-key" },
      body: { kind: "bearer", token: staysKey },
    });
    await this.client.call(routes.putCredential, {
      params: { name: "boards-bot" },
      body: { kind: "bearer", token: boardsToken },
    });
  }

  /** Publishes a workflow from its text. */
  async publish(text: string): Promise<string> {
    const name = /^name: (\S+)$/m.exec(text)?.[1] as string;
    await this.client.call(routes.pushWorkflow, { params: { name }, body: { text } });
    await this.client.call(routes.publishWorkflow, { params: { name } });
    return name;
  }

  /** Adds the API of stays by its document, with the key of the demo data. */
  async describeStays(): Promise<void> {
    await this.client.call(routes.putApi, {
      params: { name: "stays" },
      body: { url: `${this.stays.url}/openapi.yaml`, server: this.stays.url, credential: "stays-key" },
    });
  }

  /** An example; its schedules are off, so that only tests start it. */
  async publishExample(name: string): Promise<string> {
    await this.publish(readFileSync(join(root, `examples/${name}.copper-kettle.yaml`), "utf8"));
    const { triggers } = await this.client.call(routes.listTriggers, { query: { workflow: name } });
    for (const { name: trigger, kind } of triggers)
      if (kind === "schedule")
        await this.client.call(routes.switchTrigger, { params: { name, trigger }, body: { on: false } });
    return name;
  }

  async run(name: string, inputs: Record<string, never> | object = {}): Promise<Run> {
    return this.client.call(routes.startRun, { params: { name }, body: { inputs: inputs as never } });
  }

  /** Resolves when a run is in one of some states. */
  async settled(
    id: string,
    states = ["succeeded", "failed", "stopped", "unsure", "parked"],
  ): Promise<RunDetail> {
    let run: RunDetail | undefined;
    await until(
      async () => {
        run = await this.client.call(routes.run, { params: { id } });
        return states.includes(run.state);
      },
      `run ${id} is ${states.join(" or ")}`,
    );
    return run as RunDetail;
  }

  async entries(id: string): Promise<Record<string, unknown>[]> {
    const { entries } = await this.client.call(routes.journal, { params: { id }, query: { limit: 1000 } });
    return entries.map(({ entry }) => entry);
  }

  /** Runs the command-line client as a process. */
  ckettle(args: string[], input = ""): Promise<Said> {
    return ckettle(args, { COPPER_KETTLE_DATA: this.folder }, input);
  }
}

export function ckettle(args: string[], env: Record<string, string>, input = ""): Promise<Said> {
  return new Promise((resolve) => {
    const child = execFile(
      process.execPath,
      [join(root, "cli/bin/ckettle.cjs"), ...args],
      { env: { ...process.env, ...env }, timeout: 60_000 },
      (error, out, err) => {
        resolve({ code: error ? ((error as { code?: number }).code ?? -1) : 0, out, err });
      },
    );
    child.stdin?.end(input);
  });
}

/** A port of loopback that was free a moment ago. */
export async function freePort(): Promise<number> {
  const server = createServer().listen(0, "127.0.0.1");
  await once(server, "listening");
  const { port } = server.address() as AddressInfo;
  server.close();
  await once(server, "close");
  return port;
}

/** Looks again every few milliseconds until something is so; fails after half a minute, or as given. */
export async function until(
  holds: () => Promise<boolean> | boolean,
  what: string,
  millis = 30_000,
): Promise<void> {
  const end = Date.now() + millis;
  while (!(await holds())) {
    if (Date.now() > end) throw new Error(`After ${millis} ms it is still not so that ${what}.`);
    await new Promise((resolve) => setTimeout(resolve, 15));
  }
}

/** The requests that arrived at a stand-in, as it logged them. */
export async function arrived(standIn: StandIn, method?: string): Promise<LoggedRequest[]> {
  const { requests } = (await (await fetch(`${standIn.url}/_control/requests`)).json()) as {
    requests: LoggedRequest[];
  };
  return method ? requests.filter((request) => request.method === method) : requests;
}

export async function faults(standIn: StandIn, list: Fault[]): Promise<void> {
  await control(standIn, "PUT", "faults", { faults: list });
}

export async function settings(standIn: StandIn, values: Record<string, unknown>): Promise<void> {
  await control(standIn, "PUT", "settings", values);
}

export async function reset(...standIns: StandIn[]): Promise<void> {
  for (const standIn of standIns) await control(standIn, "POST", "reset", {});
}

async function control(standIn: StandIn, method: string, what: string, body: object): Promise<void> {
  await fetch(`${standIn.url}/_control/${what}`, {
    method,
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify(body),
  });
}
