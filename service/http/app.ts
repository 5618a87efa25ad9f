import compression from "compression";
import express, { type Express, type NextFunction, type Request, type Response } from "express";
import helmet from "helmet";
import { randomBytes } from "node:crypto";
import { existsSync, readFileSync } from "node:fs";
import { join, sep } from "node:path";
import { requireHost } from "./auth.js";
import type { Context } from "./context.js";
import { serveCallback } from "./oauth-callback.js";
import { openApiDocument } from "./openapi.js";
import { readForwarded, type ForwardedField } from "./forwarded.js";
import { serveMetrics } from "./metrics.js";
import { servePublicSide } from "./public-side.js";
import { HttpProblem, notFound, problemOf } from "./problems.js";
import { serveRoutes, serveSignIn } from "./routes/index.js";
import { sendJson } from "./serve-route.js";

export interface AppOptions {
  /** Hosts, with their ports, that this service answers to. */
  hosts: ReadonlySet<string>;
  /** The folder of the built console; the API works without it. */
  consoleFolder: string;
  /** Networks of proxies whose word on the client's address counts (CIDR). */
  trustedProxies: readonly string[];
  forwardedField: ForwardedField | undefined;
  /** Whether webhooks come to this listener; else they have one of their own. */
  publicSide: boolean;
  /** False while the service is starting or stopping. */
  ready: () => boolean;
}

/** Lets proxies in front say whose address it is. */
function trustProxies(
  app: Express,
  { trustedProxies, forwardedField }: Pick<AppOptions, "trustedProxies" | "forwardedField">,
): void {
  if (trustedProxies.length === 0) return;
  app.set("trust proxy", trustedProxies);
  app.use(readForwarded(forwardedField));
}

/** A listener that takes webhooks, and nothing else. */
export function createPublicApp(
  context: Context,
  options: Pick<AppOptions, "ready" | "trustedProxies" | "forwardedField">,
): Express {
  const app = express();
  app.disable("x-powered-by");
  app.set("etag", false);
  app.use((request, response, next) => plainHeaders(request, response, next));
  trustProxies(app, options);
  app.use((request, response, next) => {
    noted(context)(request, response);
    next();
  });
  servePublicSide(app, context, options.ready);
  app.use((request) => {
    throw notFound("path", `${request.method} ${request.path}`);
  });
  app.use(problems(context));
  return app;
}

/** The service's whole face: the API under /api, the console everywhere else. */
export function createApp(context: Context, options: AppOptions): Express {
  const app = express();
  app.disable("x-powered-by");
  app.set("query parser", "simple");
  app.set("etag", false);
  app.use((request, response, next) => (isApi(request) ? next() : plainHeaders(request, response, next)));
  app.get("/healthz", (_request, response) => void response.json({ ok: true }));
  app.get(
    "/readyz",
    (_request, response) =>
      void response.status(options.ready() ? 200 : 503).json({ ready: options.ready() }),
  );
  trustProxies(app, options);
  if (options.publicSide) servePublicSide(app, context, options.ready);
  const ofHost = requireHost(options.hosts);
  const note = noted(context);
  // One handler for what each request passes: every further one costs each of them.
  app.use((request, response, next) => {
    ofHost(request);
    note(request, response);
    if (isApi(request)) {
      response.setHeader("Cache-Control", "no-store");
      response.setHeader("X-Content-Type-Options", "nosniff");
      response.setHeader("Referrer-Policy", "no-referrer");
      if (!options.ready()) throw notReady();
    }
    next();
  });
  const compress = compression({ filter: isCompressible });
  // What is asked for by other methods is short.
  app.use((request, response, next) =>
    request.method === "GET" ? compress(request, response, next) : next(),
  );
  serveMetrics(app, context);
  serveSignIn(app, context);
  serveCallback(app, context);
  app.use("/api", context.auth.require);
  serveRoutes(app, context);
  app.get("/api/openapi.json", async (_request, response) =>
    sendJson(response, 200, await openApiDocument(context.version)),
  );
  app.use("/api", (request) => {
    throw notFound("path", `${request.method} ${request.originalUrl.split("?")[0]}`);
  });
  serveConsole(app, options.consoleFolder);
  app.use(problems(context));
  return app;
}

const isApi = (request: Request): boolean => /^\/api(\/|$|\?)/i.test(request.originalUrl);

/** A stream of events is told as it comes: what compresses would hold it back. */
function isCompressible(request: Request, response: Response): boolean {
  const type = String(response.getHeader("Content-Type") ?? "");
  return !type.startsWith("text/event-stream") && compression.filter(request, response);
}

function notReady(): HttpProblem {
  const detail = "The service is starting or stopping. Try again in a few seconds.";
  return new HttpProblem(503, "not-ready", "Not ready", detail, {}, { "Retry-After": "2" });
}

const plainHeaders = helmet({
  contentSecurityPolicy: false,
  strictTransportSecurity: false,
  referrerPolicy: { policy: "no-referrer" },
});

function pagePolicy(nonce: string) {
  return helmet.contentSecurityPolicy({
    useDefaults: false,
    directives: {
      defaultSrc: ["'self'"],
      scriptSrc: ["'self'"],
      styleSrc: ["'self'", `'nonce-${nonce}'`],
      styleSrcAttr: ["'unsafe-inline'"],
      imgSrc: ["'self'", "data:"],
      objectSrc: ["'none'"],
      baseUri: ["'none'"],
      formAction: ["'self'"],
      frameAncestors: ["'none'"],
    },
  });
}

/** One line a request: never with a query, a header or a body, where a secret may be. */
function noted({ log }: Context) {
  return (request: Request, response: Response): void => {
    const began = performance.now();
    response.on("finish", () => {
      if (response.statusCode < 500 && !log.isLevelEnabled("debug")) return;
      const millis = Math.round(performance.now() - began);
      const line = {
        method: request.method,
        path: request.originalUrl.split("?")[0],
        status: response.statusCode,
        millis,
      };
      if (response.statusCode >= 500 && response.statusCode !== 502) log.warn(line, "request");
      else log.debug(line, "request");
    });
  };
}

function serveConsole(app: Express, folder: string): void {
  const page = join(folder, "index.html");
  const assets = join(folder, "assets") + sep;
  app.use(
    express.static(folder, {
      index: false,
      maxAge: "1h",
      // Their names hold a digest of what is in them.
      setHeaders: (response: Response, path) => {
        if (path.startsWith(assets)) response.set("Cache-Control", "public, max-age=31536000, immutable");
      },
    }),
  );
  app.get(/^\/(?!api\/).*/, (request, response, next) => {
    if (/\.[a-z0-9]+$/i.test(request.path)) throw notFound("file", request.path);
    if (!existsSync(page))
      throw new HttpProblem(503, "no-console", "The console is not built", "Build it with: npm run build");
    const nonce = randomBytes(16).toString("base64");
    pagePolicy(nonce)(request, response, (error?: unknown) => {
      if (error) return next(error);
      const html = readFileSync(page, "utf8").replaceAll("__CSP_NONCE__", nonce);
      response.set("Cache-Control", "no-store").type("html").send(html);
    });
  });
}

function problems({ log }: Context) {
  return (error: unknown, request: Request, response: Response, _next: NextFunction): void => {
    // Whoever asked has gone: nobody reads an answer.
    if (response.destroyed) return;
    let problem = problemOf(error);
    if (!problem) {
      log.error(
        { err: error, path: request.originalUrl.split("?")[0] },
        "a request failed in a way that nobody foresaw",
      );
      problem = new HttpProblem(
        500,
        "internal",
        "The service failed",
        "The service has a fault. Its log says more.",
      );
    }
    if (response.headersSent) {
      response.end();
      return;
    }
    for (const [name, value] of Object.entries(problem.headers)) response.set(name, value);
    sendJson(response, problem.status, problem.details(), "application/problem+json");
  };
}
