import { bounds, renderIn, type Brought, type ValueTemplate, type WebhookTrigger } from "@copper-kettle/core";
import { createHash, timingSafeEqual } from "node:crypto";
import express, { type Express, type NextFunction, type Request, type Response } from "express";
import { triggerOf } from "../triggers/arming.js";
import { draftTrigger } from "../store/events.js";
import type { TriggerRecord } from "../store/triggers.js";
import type { Context } from "./context.js";
import { deliver, refusal, unknown, type Coming } from "./deliver.js";
import { publicDescription } from "./describing.js";
import { HttpProblem, problemOf, tooLarge } from "./problems.js";
import { sandboxed } from "./replies.js";
import { sendJson } from "./serve-route.js";
import { Traffic } from "./traffic.js";

/** Where deliveries come in; senders know it as the address of a webhook. */
export const webhooksPath = "/webhooks";

/**
 * Serves what anybody may send to: webhooks. Nothing here reads a cookie, and no response can act as a page of ours. The
 * checks go in this order: how much comes from one address, and to one webhook, length, the body, its proof, the handshake, only-if.
 */
export function servePublicSide(app: Express, context: Context, ready: () => boolean): void {
  const traffic = new Traffic();
  app.use(webhooksPath, (request, response, next) => {
    response.setHeader("Content-Security-Policy", sandboxed);
    response.setHeader("X-Content-Type-Options", "nosniff");
    response.setHeader("Cache-Control", "no-store");
    response.setHeader("Referrer-Policy", "no-referrer");
    if (!ready())
      throw refusal(503, "not-ready", "Not ready", "The service is starting or stopping. Try again.", "2");
    if (traffic.isTooMuch(request.ip ?? ""))
      throw refusal(429, "too-many", "Too many deliveries", "Try again in a minute.", "60");
    next();
  });
  app.get(`${webhooksPath}/openapi.json`, async (_request, response) => {
    sendJson(response, 200, await publicDescription(context));
  });
  app.all(`${webhooksPath}/:path{/:secret}`, async (request: Request, response: Response) => {
    const isDraft = request.params["path"] === "draft";
    const coming = await (isDraft ? awaitedByDraft : awaited)(context, request, response);
    const isAllowed = allowOrigin(coming, context);
    if (request.method === "OPTIONS" && coming.ready.origins) return preflight(coming, isAllowed);
    if (!coming.ready.methods.includes(request.method))
      throw new HttpProblem(
        405,
        "method",
        "Method not allowed",
        `This address takes ${coming.ready.methods.join(", ")}.`,
        {},
        { Allow: coming.ready.methods.join(", ") },
      );
    const { rateLimit } = coming.ready;
    const wait = rateLimit && traffic.isOver(`${coming.workflow} ${coming.trigger}`, rateLimit);
    if (wait !== undefined)
      throw refusal(429, "too-many", "Too many deliveries", `Try again in ${wait} s.`, String(wait));
    await deliver(context, coming, await bodyOf(coming, traffic), traffic);
  });
  app.use(webhooksPath, () => {
    throw unknown();
  });
  app.use(webhooksPath, (error: unknown, _request: Request, response: Response, next: NextFunction) => {
    const problem = problemOf(error);
    if (!problem || response.headersSent) return next(error);
    for (const [name, value] of Object.entries(problem.headers)) response.set(name, value);
    sendJson(response, problem.status, problem.details(), "application/problem+json");
  });
}

/** The webhook that an address means. A wrong address is like one that never was. */
async function awaited(context: Context, request: Request, response: Response): Promise<Coming> {
  const { workflows } = context;
  const { path = "", secret } = request.params as { path?: string; secret?: string };
  const row = await workflows.triggers.byPath(path);
  const published = row && (await workflows.startable(row.workflow))?.published;
  const file = published && (await workflows.ready(row.workflow, published.text).catch(() => undefined));
  const ready = file && triggerOf(file, row.name);
  if (!row || !published || ready?.kind !== "webhook") throw unknown();
  if (ready.verify.by === "none" ? !isSecretOf(row, secret) : secret !== undefined) throw unknown();
  if (row.isOn === 0)
    throw refusal(503, "off", "Switched off", "This webhook is switched off. Try again later.", "300");
  const { version, principal } = published;
  const came = { request, response, headers: headersOf(request), query: queryOf(request) };
  const keyedAs = row.keyedAs ?? undefined;
  return { workflow: row.workflow, trigger: row.name, keyedAs, ready, version, principal, ...came };
}

/** What takes a delivery of a draft that has no webhook yet: whoever builds it looks at what came. */
const anyDelivery: WebhookTrigger = {
  kind: "webhook",
  line: 1,
  path: "",
  methods: ["POST", "PUT", "PATCH", "DELETE", "GET"],
  verify: { by: "none" },
  response: "accepted",
  within: 0,
  most: 1_000_000,
  whenBusy: "queue",
  retainFailures: true,
  each: "item",
};

/** The draft that an address means, while its hour lasts: its only webhook, or that of the name that the query gives. */
async function awaitedByDraft(context: Context, request: Request, response: Response): Promise<Coming> {
  const { workflows } = context;
  const secret = String(request.params["secret"]);
  const draft = await workflows.triggers.drafts.find(secretDigest(secret), Date.now());
  const found = draft && (await workflows.startable(draft.workflow));
  if (!draft || !found) throw unknown();
  const file = await workflows.ready(draft.workflow, found.draft).catch(() => undefined);
  const came = { request, response, headers: headersOf(request), query: queryOf(request) };
  const { workflow, by: principal } = draft;
  const webhooks = Object.entries(file?.triggers ?? {}).filter(([, { kind }]) => kind === "webhook");
  const [name, ready] = webhooks.find(([one]) => one === came.query["trigger"]) ?? webhooks[0] ?? [];
  if (name !== undefined && ready?.kind === "webhook")
    return { workflow, trigger: name, ready, version: 0, principal, ...came };
  const notYet = file
    ? "The draft has no webhook yet."
    : "The draft has problems, so it could start nothing.";
  return { workflow, trigger: draftTrigger, ready: anyDelivery, version: 0, principal, notYet, ...came };
}

/** Whether the unguessable part of an address is the one that was given out, or the one before while that holds. */
function isSecretOf({ secret, olderSecret, olderUntil }: TriggerRecord, given: string | undefined): boolean {
  if (given === undefined) return false;
  const digest = secretDigest(given);
  const known = [secret, (olderUntil ?? 0) > Date.now() ? olderSecret : null];
  return known.some((one) => one !== null && one.length === digest.length && timingSafeEqual(one, digest));
}

/** What is stored of the unguessable part of an address. */
export const secretDigest = (secret: string): Buffer => createHash("sha256").update(secret).digest();

function headersOf(request: Request): Record<string, string> {
  return Object.fromEntries(
    Object.entries(request.headers).flatMap(([name, value]) =>
      value === undefined ? [] : [[name, Array.isArray(value) ? value.join(", ") : value]],
    ),
  );
}

/** What stands behind the first question mark; a target that is no URL has a query all the same. */
function queryOf({ originalUrl }: Request): Record<string, string> {
  const at = originalUrl.indexOf("?");
  return Object.fromEntries(new URLSearchParams(at < 0 ? "" : originalUrl.slice(at + 1)));
}

/** So long a body that is not taken may still come in, in milliseconds. */
const passingMillis = 1_000;

/** Lets a body pass that is not taken: a proxy that cannot send all of it would answer something else in our place. */
function passedBy(request: Request): Promise<void> {
  return new Promise((resolve) => {
    const timer = setTimeout(resolve, passingMillis);
    const done = (): void => (clearTimeout(timer), resolve());
    request.once("end", done).once("close", done).once("error", done).resume();
  });
}

/** Reads the bytes of a body, as many as the webhook takes, while there is room for them. */
async function bodyOf({ ready, request, response }: Coming, traffic: Traffic): Promise<Uint8Array> {
  const length = Number(request.headers["content-length"] ?? ready.most);
  if (length > ready.most && request.headers["content-length"] !== undefined) {
    await passedBy(request);
    throw tooLarge(ready.most);
  }
  const size = Math.min(length, ready.most);
  if (traffic.bodies >= bounds.deliveriesInFlight || traffic.bytes + size > bounds.deliveryBytesInFlight)
    throw refusal(503, "busy", "Busy", "Too many deliveries come in at once. Try again.", "1");
  traffic.bodies++;
  traffic.bytes += size;
  try {
    await new Promise<void>((resolve, reject) =>
      express.raw({ type: () => true, limit: ready.most, inflate: false })(
        request,
        response,
        (error?: unknown) => (error ? reject(error as Error) : resolve()),
      ),
    );
  } finally {
    traffic.bodies--;
    traffic.bytes -= size;
  }
  return Buffer.isBuffer(request.body) ? request.body : new Uint8Array();
}

/** Pages of other sites that the file names may send; never with cookies of ours (WHATWG Fetch, section 3.3). */
function allowOrigin({ ready, request, response }: Coming, { constants }: Context): boolean {
  if (!ready.origins) return false;
  response.vary("Origin");
  const origin = request.get("origin");
  const inScope = { trigger: {}, constants: constants.all(), id: "", at: Date.now() };
  if (origin === undefined || !originsOf(ready.origins, inScope).includes(origin)) return false;
  response.set("Access-Control-Allow-Origin", origin);
  return true;
}

/** The origins that a file names; where a constant is not there, none. */
function originsOf(origins: ValueTemplate, inScope: Brought): unknown[] {
  try {
    const listed = renderIn(origins, inScope);
    return Array.isArray(listed) ? listed : [];
  } catch {
    return [];
  }
}

function preflight({ ready, response }: Coming, isAllowed: boolean): void {
  if (isAllowed)
    response
      .set("Access-Control-Allow-Methods", ready.methods.join(", "))
      .set("Access-Control-Allow-Headers", "Content-Type")
      .set("Access-Control-Max-Age", "600");
  response.status(204).end();
}
