import {
  bounds,
  evaluateIn,
  type Brought,
  type Expression,
  isObject,
  renderIn,
  type JsonObject,
  type Reply,
  type WebhookTrigger,
} from "@copper-kettle/core";
import { createHash, timingSafeEqual } from "node:crypto";
import express, { type Express, type NextFunction, type Request, type Response } from "express";
import { newRunId } from "../runs/ids.js";
import { broughtBy, proofParts, usualKey, verified } from "../triggers/deliveries.js";
import { triggerOf } from "../triggers/arming.js";
import type { Happened } from "../triggers/events.js";
import type { TriggerRecord } from "../store/triggers.js";
import type { Startable } from "../store/workflows.js";
import type { Context } from "./context.js";
import { HttpProblem, problemOf, tooLarge } from "./problems.js";
import { replied, sandboxed } from "./replies.js";
import { sendJson } from "./serve-route.js";

/** Where deliveries come in; senders know it as the address of a webhook. */
export const webhooksPath = "/webhooks";

/** A delivery on its way through the checks. */
interface Coming {
  row: TriggerRecord;
  ready: WebhookTrigger;
  published: NonNullable<Startable["published"]>;
  request: Request;
  response: Response;
  headers: Record<string, string>;
  query: Record<string, string>;
}

/** Deliveries by address in this minute, and bodies that are coming in. */
class Traffic {
  readonly #byAddress = new Map<string, number>();
  #minute = 0;
  #refused = new Map<string, number>();
  bodies = 0;
  bytes = 0;

  /** Whether an address sent more in this minute than it may. */
  isTooMuch(address: string): boolean {
    this.#turn();
    const count = (this.#byAddress.get(address) ?? 0) + 1;
    if (this.#byAddress.size < 100_000) this.#byAddress.set(address, count);
    return count > bounds.deliveries;
  }

  /** Whether one more refused delivery of a trigger is worth a row. */
  notes(trigger: string): boolean {
    this.#turn();
    const count = (this.#refused.get(trigger) ?? 0) + 1;
    if (this.#refused.size < 10_000) this.#refused.set(trigger, count);
    return count <= bounds.refusedDeliveries;
  }

  #turn(): void {
    const minute = Math.floor(Date.now() / 60_000);
    if (minute === this.#minute) return;
    this.#minute = minute;
    this.#byAddress.clear();
    this.#refused.clear();
  }
}

/**
 * Serves what anybody may send to: webhooks. Nothing here reads a cookie, and no response can act as a page of ours. The
 * checks go in this order: how much comes from one address, length, the body, its proof, the handshake, only-if.
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
  app.all(`${webhooksPath}/:path{/:secret}`, async (request: Request, response: Response) => {
    const coming = await awaited(context, request, response);
    if (request.method === "OPTIONS" && coming.ready.origins.length > 0) return preflight(coming);
    allowOrigin(coming);
    if (!coming.ready.methods.includes(request.method))
      throw new HttpProblem(
        405,
        "method",
        "Method not allowed",
        `This address takes ${coming.ready.methods.join(", ")}.`,
        {},
        { Allow: coming.ready.methods.join(", ") },
      );
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
  return { row, ready, published, request, response, headers: headersOf(request), query: queryOf(request) };
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

const unknown = (): HttpProblem =>
  new HttpProblem(404, "not-found", "Not found", "There is no webhook at this address.");

function refusal(status: number, type: string, title: string, detail: string, after: string): HttpProblem {
  return new HttpProblem(status, type, title, detail, {}, { "Retry-After": after });
}

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

/** Reads the bytes of a body, as many as the webhook takes, while there is room for them. */
async function bodyOf({ ready, request, response }: Coming, traffic: Traffic): Promise<Uint8Array> {
  const length = Number(request.headers["content-length"] ?? ready.most);
  if (length > ready.most && request.headers["content-length"] !== undefined) throw tooLarge(ready.most);
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

type InScope = Brought;

/** Whether a delivery asks who we are; what it asks about may not have come. */
function greets(when: Expression, inScope: InScope): boolean {
  try {
    return evaluateIn(when, inScope) === true;
  } catch {
    return false;
  }
}

/** Headers and query without what proves where a delivery comes from. */
function withoutProof(
  { ready, headers, query }: Coming,
  { credentials }: Context,
): { headers: Record<string, string>; query: Record<string, string> } {
  const proofs = proofParts(ready.verify, credentials);
  const without = (fields: Record<string, string>, names: readonly string[]): Record<string, string> =>
    Object.fromEntries(Object.entries(fields).filter(([name]) => !names.includes(name)));
  return { headers: without(headers, proofs.headers), query: without(query, proofs.query) };
}

async function deliver(context: Context, coming: Coming, body: Uint8Array, traffic: Traffic): Promise<void> {
  const { row, ready, published, request, response, headers, query } = coming;
  const { verify, handshake } = ready;
  const { method } = request;
  const id = newRunId();
  const now = Date.now();
  const inScope = (trigger: JsonObject): InScope => ({
    trigger: { ...trigger, kind: "webhook", name: row.name },
    constants: context.constants.all(),
    id,
    at: now,
  });
  const shown = withoutProof(coming, context);
  // Before it is verified nothing of a body is parsed, but for a sender that is asked to say first who it is.
  const bring = () => broughtBy(context.reader.read, { method, ...shown, body });
  let came = handshake?.unsigned ? await bring() : undefined;
  if (handshake && came && greets(handshake.when, inScope(came.brought)))
    return sendReply(response, handshake.reply, inScope(came.brought));
  const verdict = verified(
    { credentials: context.credentials, grants: context.workflows.grants, now },
    verify,
    { headers, body, query },
    { workflow: row.workflow, version: published.version, principal: published.principal },
  );
  if (!verdict.ok) {
    await refused(context, coming, body, verdict.reason, traffic);
    throw new HttpProblem(
      401,
      "unauthorized",
      "Not verified",
      "The delivery could not be verified.",
      {},
      { "WWW-Authenticate": "Signature" },
    );
  }
  if (verify.by !== "none") context.credentials.noteWorked(verify.using);
  came ??= await bring();
  const { brought, fault } = came;
  if (handshake && greets(handshake.when, inScope(brought)))
    return sendReply(response, handshake.reply, inScope(brought));
  if (fault) {
    await refused(context, coming, body, fault, traffic);
    throw new HttpProblem(400, "invalid-body", "The body cannot be read", fault);
  }
  const key = usualKey(verify, brought);
  const happened = await context.events.begin({
    workflow: row.workflow,
    trigger: row.name,
    brought,
    at: now,
    ...(key === undefined ? {} : { key }),
  });
  if (!happened) throw unknown();
  await answer(context, coming, happened, inScope(brought));
}

/** What the sender gets; what it delivered is durable by now. */
async function answer(
  context: Context,
  { ready, response }: Coming,
  happened: Happened,
  inScope: InScope,
): Promise<void> {
  const { id, state, run, reason } = happened;
  if (state === "skipped")
    throw refusal(429, "queue-full", "No room", "Too many runs wait already. Try again.", "30");
  if (state === "refused")
    throw new HttpProblem(422, "refused", "The delivery starts nothing", reason ?? "It starts no run.");
  if (ready.response === "from-run" && run !== null) {
    if (await replied(context, run, ready.within, response)) return;
    // The sender waited long enough; the run goes on.
  } else if (typeof ready.response === "object") return sendReply(response, ready.response, inScope);
  sendJson(response, 202, { event: id, state, ...(run === null ? {} : { run }) });
}

/** Notes a delivery that was refused: the last few of a trigger, of each no more than its beginning. */
async function refused(
  context: Context,
  coming: Coming,
  body: Uint8Array,
  reason: string,
  traffic: Traffic,
): Promise<void> {
  const { eventStore, events } = context;
  const { row, ready, published, request, headers } = coming;
  const { workflow, name } = row;
  if (!traffic.notes(`${workflow} ${name}`)) return;
  const text = Buffer.from(body.subarray(0, 2_048)).toString();
  // A signature helps to find out what is wrong; what is a secret itself is left out.
  const { header } = ready.verify.by === "hmac" ? ready.verify : { header: "webhook-signature" };
  const signature = headers[header] === undefined ? {} : { [header]: headers[header] };
  const shown = { ...withoutProof(coming, context).headers, ...signature };
  const brought: JsonObject = { method: request.method, headers: shown, body: text };
  const at = Date.now();
  await events.note(
    ready,
    { workflow, trigger: name, version: published.version, at, brought },
    "refused",
    reason,
  );
  await eventStore.keepRefused(workflow, name, bounds.refusedDeliveries);
}

const longestReply = 4_096;

/** A response that the file says: JSON or plain text, and not long. */
function sendReply(response: Response, { status, headers, body }: Reply, inScope: InScope): void {
  const value = body ? renderIn(body, inScope) : null;
  const fields = headers ? renderIn(headers, inScope) : {};
  if (isObject(fields))
    for (const [name, field] of Object.entries(fields))
      if (/^(x-|retry-after$)/i.test(name)) response.set(name, String(field));
  if (JSON.stringify(value).length > longestReply)
    throw new HttpProblem(
      500,
      "reply-too-long",
      "The reply is too long",
      `A reply may be ${longestReply} bytes long.`,
    );
  if (value === null) response.status(status).end();
  else if (typeof value === "string") response.status(status).type("text/plain").send(value);
  else sendJson(response, status, value);
}

/** Pages of other sites that the file names may send; never with cookies of ours (WHATWG Fetch, section 3.3). */
function allowOrigin({ ready, request, response }: Coming): boolean {
  if (ready.origins.length === 0) return false;
  response.vary("Origin");
  const origin = request.get("origin");
  if (origin === undefined || !ready.origins.includes(origin)) return false;
  response.set("Access-Control-Allow-Origin", origin);
  return true;
}

function preflight(coming: Coming): void {
  const { ready, response } = coming;
  if (allowOrigin(coming))
    response
      .set("Access-Control-Allow-Methods", ready.methods.join(", "))
      .set("Access-Control-Allow-Headers", "Content-Type")
      .set("Access-Control-Max-Age", "600");
  response.status(204).end();
}
