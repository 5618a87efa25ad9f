import { createClient, routes, type Client } from "@copper-kettle/contract";
import { Agent, request } from "node:http";
import { oddServer, type OddServer } from "./odd-server.kit.js";
import { World } from "./kit.js";

interface Answer {
  status: number;
  headers: Record<string, string | string[] | undefined>;
  text: string;
}

/** A world with an owner, somebody else, a server that nobody should reach, and a way to send anything at all. */
export class Attacked {
  private constructor(
    readonly world: World,
    readonly oddToken: string,
    readonly mine: OddServer,
    readonly agent = new Agent({ keepAlive: true, maxSockets: 30 }),
  ) {}

  static async start(): Promise<Attacked> {
    const mine = await oddServer();
    const world = await World.start({
      env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1", COPPER_KETTLE_HOST_NAMES: "huts.example" },
    });
    const { token } = await world.client.call(routes.createToken, { body: { name: "odd" } });
    return new Attacked(world, token, mine);
  }

  /** Calls as somebody else, wherever the service is now. */
  get odd(): Client {
    return createClient({ baseUrl: this.world.url, token: this.oddToken });
  }

  async close(): Promise<void> {
    this.agent.destroy();
    await this.mine.close();
    await this.world.close();
  }

  /** Sends a request as it is: nothing of it is put right on the way. */
  raw(
    method: string,
    path: string,
    { headers = {}, body }: { headers?: Record<string, string>; body?: string | Buffer } = {},
  ): Promise<Answer> {
    const { hostname, port } = new URL(this.world.url);
    const all = { Authorization: `Bearer ${this.world.token}`, ...headers };
    return new Promise((resolve, reject) => {
      const sent = request({ hostname, port, path, method, headers: all, agent: this.agent }, (response) => {
        let text = "";
        const done = (): void =>
          resolve({ status: response.statusCode ?? 0, headers: response.headers, text });
        if (response.headers["content-type"]?.startsWith("text/event-stream")) {
          done();
          return void sent.destroy();
        }
        response.setEncoding("utf8").on("data", (piece: string) => (text += piece));
        response.on("end", done);
      });
      sent.setTimeout(20_000, () => sent.destroy(new Error(`No response: ${method} ${path.slice(0, 100)}`)));
      sent.on("error", (error: NodeJS.ErrnoException) =>
        // What the server refuses before it has read all of it, it may cut off.
        error.code === "EPIPE" || error.code === "ECONNRESET"
          ? resolve({ status: 400, headers: {}, text: "" })
          : reject(error),
      );
      sent.end(body);
    });
  }

  async isUp(): Promise<boolean> {
    const began = Date.now();
    const answer = await fetch(`${this.world.url}/healthz`);
    return answer.ok && Date.now() - began < 5_000;
  }
}

/** The status of what was refused; 200 where it was not. */
export const statusOf = (sending: Promise<unknown>): Promise<number> =>
  sending.then(
    () => 200,
    (error: { problem?: { status: number } }) => error.problem?.status ?? 0,
  );
