import { readFileSync } from "node:fs";
import { createServer } from "node:http";
import { createServer as createTlsServer } from "node:https";
import type { AddressInfo } from "node:net";
import express, { type Express, type NextFunction, type Request, type Response } from "express";

/** One request as it arrived; what tests read, so that nobody has to trust the service about what it sent. */
export interface LoggedRequest {
  method: string;
  path: string;
  query: Record<string, unknown>;
  headers: Record<string, string | string[] | undefined>;
  body: unknown;
  /** Milliseconds since 1970. */
  at: number;
  /** The status that was answered; 0 where the connection was dropped. */
  status: number;
}

/** Something that goes wrong on purpose. */
export interface Fault {
  method?: string;
  /** The beginning of the path. */
  path?: string;
  /** How often; without it, until the faults are taken away. */
  times?: number;
  /** Milliseconds before anything happens. */
  latency?: number;
  status?: number;
  headers?: Record<string, string>;
  body?: unknown;
  /** Drop the connection: before the request is taken, or after it was taken and before it is answered. */
  drop?: "before" | "after";
  /** Send the body in small pieces, with this many milliseconds between them. */
  slowBody?: number;
}

export interface StandIn {
  name: string;
  /** Its address, such as http://127.0.0.1:4101. */
  url: string;
  /** What arrived, for whoever runs it in the same process. */
  requests: LoggedRequest[];
  close(): Promise<void>;
}

/** What a stand-in is made of: its routes, and how its state is made new. */
export interface Definition {
  name: string;
  routes(app: Express): void;
  reset(): void;
  /** Settings that a test may change by the control route. */
  settings?: Record<string, unknown>;
}

/** TLS for a stand-in that wants to know who calls: its own certificate, and the authority of its callers'. */
export interface StandInTls {
  cert: string;
  key: string;
  /** Callers must show a certificate of this authority. */
  ca?: string;
}

/** Starts a stand-in on loopback; port 0 takes any that is free. With `tls` it speaks HTTPS. */
export async function startStandIn(definition: Definition, port = 0, tls?: StandInTls): Promise<StandIn> {
  const app = express();
  app.disable("x-powered-by");
  const requests: LoggedRequest[] = [];
  let faults: Fault[] = [];
  /** Goes up with each reset. */
  let life = 0;

  app.use(express.json({ limit: "5mb", type: ["application/json", "application/*+json"] }));
  app.get("/openapi.yaml", (_request, response) => {
    response
      .type("application/yaml")
      .send(readFileSync(new URL(documentPath(definition.name), import.meta.url)));
  });
  app.get("/_control/requests", (_request, response) => void response.json({ requests }));
  app.delete("/_control/requests", (_request, response) => {
    requests.length = 0;
    response.status(204).end();
  });
  app.post("/_control/reset", (_request, response) => {
    requests.length = 0;
    faults = [];
    life++;
    definition.reset();
    response.status(204).end();
  });
  app.put("/_control/faults", (request, response) => {
    faults = (request.body as { faults: Fault[] }).faults;
    response.status(204).end();
  });
  app.put("/_control/settings", (request, response) => {
    Object.assign(definition.settings ?? {}, request.body);
    response.status(204).end();
  });

  app.use((request, response, next) => {
    const logged: LoggedRequest = {
      method: request.method,
      path: request.path,
      query: request.query as Record<string, unknown>,
      headers: request.headers,
      body: request.body,
      at: Date.now(),
      status: 0,
    };
    if (request.is("application/x-www-form-urlencoded")) logForm(request, logged);
    requests.push(logged);
    if (requests.length > 50_000) requests.splice(0, 10_000);
    response.on("finish", () => (logged.status = response.statusCode));
    next();
  });
  app.use((request, response, next) => {
    const before = life;
    void misbehave(faults, () => life === before, request, response, next);
  });
  definition.routes(app);
  app.use((_request, response) => void response.status(404).json({ error: "no-such-path" }));
  app.use(
    (error: Error & { status?: number }, _request: Request, response: Response, _next: NextFunction) => {
      response.status(error.status ?? 500).json({ error: "bad-request", message: error.message });
    },
  );

  const server = tls
    ? createTlsServer(
        { ...tls, requestCert: tls.ca !== undefined, rejectUnauthorized: tls.ca !== undefined },
        app,
      )
    : createServer(app);
  server.listen(port, "127.0.0.1");
  await new Promise<void>((resolve, reject) => {
    server.once("listening", resolve);
    server.once("error", reject);
  });
  return {
    name: definition.name,
    url: `${tls ? "https" : "http"}://127.0.0.1:${(server.address() as AddressInfo).port}`,
    requests,
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

/** Logs a form as it arrives, and leaves its bytes to whoever reads the body. */
function logForm(request: Request, logged: LoggedRequest): void {
  let text = "";
  const push = request.push.bind(request);
  request.push = (piece: unknown, ...rest: []): boolean => {
    if (Buffer.isBuffer(piece)) text += piece.toString();
    logged.body = Object.fromEntries(new URLSearchParams(text));
    return push(piece, ...rest);
  };
}

/** The document lies beside the sources; a build finds it one folder further up. */
function documentPath(name: string): string {
  return import.meta.url.includes("/dist/") ? `../openapi/${name}.yaml` : `./openapi/${name}.yaml`;
}

async function misbehave(
  faults: Fault[],
  isSameLife: () => boolean,
  request: Request,
  response: Response,
  next: NextFunction,
): Promise<void> {
  const fault = faults.find(
    (item) =>
      (!item.method || item.method === request.method) &&
      (!item.path || request.path.startsWith(item.path)) &&
      item.times !== 0,
  );
  if (!fault) return next();
  if (fault.times !== undefined) fault.times--;
  if (fault.latency) await new Promise((resolve) => setTimeout(resolve, fault.latency));
  // What was put off until after a reset belongs to what was before it.
  if (fault.drop === "before" || !isSameLife()) {
    request.socket.destroy();
    return;
  }
  if (fault.drop === "after") {
    response.json = () => {
      request.socket.destroy();
      return response;
    };
    return next();
  }
  if (fault.status !== undefined) {
    response.status(fault.status).set(fault.headers ?? {});
    if (fault.body === undefined) response.json({ error: "fault", status: fault.status });
    else if (typeof fault.body === "string") response.send(fault.body);
    else response.json(fault.body);
    return;
  }
  if (fault.slowBody) {
    response.json = (body: unknown) => {
      void trickle(response, JSON.stringify(body), fault.slowBody as number);
      return response;
    };
  }
  next();
}

async function trickle(response: Response, text: string, pause: number): Promise<void> {
  response.type("json");
  for (let at = 0; at < text.length; at += 16) {
    response.write(text.slice(at, at + 16));
    await new Promise((resolve) => setTimeout(resolve, pause));
  }
  response.end();
}

/** Refuses a request whose bearer token is not the right one, and says what is wrong with it, as good APIs do. */
export function bearer(right: () => string) {
  return (request: Request, response: Response, next: NextFunction): void => {
    const field = request.headers.authorization;
    const wrong =
      field === undefined
        ? "The header Authorization is missing."
        : !/^Bearer /.test(field)
          ? `The header Authorization must begin with "Bearer ", and begins with "${field.slice(0, 6)}".`
          : /^Bearer Bearer /i.test(field)
            ? 'The prefix "Bearer" stands twice.'
            : field.slice(7) !== right()
              ? "This key is not known."
              : undefined;
    if (!wrong) return next();
    response
      .status(401)
      .set("WWW-Authenticate", 'Bearer realm="larkspur"')
      .json({ error: "unauthorized", message: wrong });
  };
}
