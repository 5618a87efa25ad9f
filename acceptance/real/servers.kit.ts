import { routes, type CredentialInput, type NetworkInput } from "@copper-kettle/contract";
import { spawn, type ChildProcess } from "node:child_process";
import { once } from "node:events";
import { existsSync } from "node:fs";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { connect } from "node:net";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { mkdir } from "node:fs/promises";
import { until, World } from "../kit.js";

/** The program of a package of Debian's; undefined where the package is not there. */
export function program(...paths: string[]): string | undefined {
  return paths.find((path) => existsSync(path));
}

/** Whether something accepts connections at a port of loopback. */
function accepts(port: number): Promise<boolean> {
  return new Promise((resolve) => {
    const socket = connect(port, "127.0.0.1");
    socket.once("connect", () => (socket.destroy(), resolve(true)));
    socket.once("error", () => resolve(false));
  });
}

/** A server of somebody else's, with a folder of its own. */
export class RealServer {
  /** All that it printed. */
  said = "";
  #child: ChildProcess | undefined;

  private constructor(readonly folder: string) {}

  static async make(name: string, files: Record<string, string> = {}): Promise<RealServer> {
    const server = new RealServer(await mkdtemp(join(tmpdir(), `ckettle-${name}-`)));
    for (const [path, text] of Object.entries(files)) await server.write(path, text);
    return server;
  }

  path(name: string): string {
    return join(this.folder, name);
  }

  async write(path: string, text: string, mode = 0o644): Promise<void> {
    await mkdir(dirname(this.path(path)), { recursive: true });
    await writeFile(this.path(path), text, { mode });
  }

  /** Starts it; resolves when it accepts connections at the ports. */
  async start(
    command: string,
    args: string[],
    ports: number[],
    options: { env?: Record<string, string>; uid?: number; millis?: number } = {},
  ): Promise<void> {
    const child = spawn(command, args, {
      cwd: this.folder,
      env: { ...process.env, ...options.env },
      stdio: ["ignore", "pipe", "pipe"],
      ...(options.uid === undefined ? {} : { uid: options.uid }),
    });
    this.#child = child;
    child.stdout.on("data", (piece: Buffer) => (this.said += piece.toString()));
    child.stderr.on("data", (piece: Buffer) => (this.said += piece.toString()));
    await until(
      async () => {
        if (child.exitCode !== null) throw new Error(`${command} ended with ${child.exitCode}: ${this.said}`);
        return (await Promise.all(ports.map(accepts))).every(Boolean);
      },
      `${command} accepts connections`,
      options.millis,
    );
  }

  async close(): Promise<void> {
    const child = this.#child;
    if (child && child.exitCode === null && child.signalCode === null) {
      const gone = once(child, "exit");
      child.kill("SIGTERM");
      const late = setTimeout(() => child.kill("SIGKILL"), 5_000);
      await gone;
      clearTimeout(late);
    }
    await rm(this.folder, { recursive: true, force: true });
  }
}

/** A service that may call some ports of loopback, and short words for what these tests do with it. */
export class RealWorld {
  private constructor(readonly world: World) {}

  static async start(ports: number[]): Promise<RealWorld> {
    const allowed = ports.flatMap((port) => [`127.0.0.1:${port}`, `localhost:${port}`]).join(",");
    return new RealWorld(await World.start({ demo: false, env: { COPPER_KETTLE_ALLOW_ADDRESSES: allowed } }));
  }

  credential(name: string, body: CredentialInput): Promise<unknown> {
    return this.world.client.call(routes.putCredential, { params: { name }, body });
  }

  network(host: string, body: NetworkInput): Promise<unknown> {
    return this.world.client.call(routes.putNetwork, { params: { scope: "host", name: host }, body });
  }

  check(name: string, url?: string) {
    return this.world.client.call(routes.checkCredential, {
      params: { name },
      body: url === undefined ? {} : { url },
    });
  }

  /** Runs steps, written as they stand in a file, to their end. */
  async steps(name: string, steps: string) {
    const indented = steps.trimEnd().replace(/^/gm, "  ");
    await this.world.publish(`copper-kettle: 1\nname: ${name}\nsteps:\n${indented}\n`);
    return this.world.settled((await this.world.run(name)).id);
  }

  close(): Promise<void> {
    return this.world.close();
  }
}
