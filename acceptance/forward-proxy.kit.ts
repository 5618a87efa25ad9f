import { createServer, type Server } from "node:http";
import { connect, type AddressInfo, type Socket } from "node:net";

/** A forward proxy that opens tunnels, and notes for whom. */
export class ForwardProxy {
  readonly asked: { target: string; authorization: string | undefined }[] = [];
  /** What it answers instead of opening a tunnel; undefined: it opens it. */
  refuse: number | undefined;
  /** The user and password that it wants, in Base64. */
  wants: string | undefined;
  readonly #open = new Set<Socket>();

  private constructor(readonly server: Server) {}

  static async start(): Promise<ForwardProxy> {
    const server = createServer((_request, response) => response.writeHead(400).end());
    const proxy = new ForwardProxy(server);
    server.on("connect", (request, socket: Socket) => {
      const target = request.url ?? "";
      const authorization = request.headers["proxy-authorization"];
      proxy.asked.push({ target, authorization });
      const isKnown = proxy.wants === undefined || authorization === `Basic ${proxy.wants}`;
      const status = isKnown ? proxy.refuse : 407;
      if (status !== undefined) return void socket.end(`HTTP/1.1 ${status} No\r\nContent-Length: 0\r\n\r\n`);
      const at = target.lastIndexOf(":");
      const far = connect(Number(target.slice(at + 1)), target.slice(0, at), () => {
        socket.write("HTTP/1.1 200 Connection established\r\n\r\n");
        far.pipe(socket).pipe(far);
      });
      for (const one of [socket, far]) {
        proxy.#open.add(one);
        one.on("error", () => undefined);
      }
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    return proxy;
  }

  get url(): string {
    return `http://127.0.0.1:${(this.server.address() as AddressInfo).port}`;
  }

  async close(): Promise<void> {
    for (const socket of this.#open) socket.destroy();
    this.server.closeAllConnections();
    await new Promise((resolve) => this.server.close(resolve));
  }
}
