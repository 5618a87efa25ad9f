import {
  bounds,
  evaluateIn,
  maskNamedInText,
  isObject,
  renderIn,
  signChallenge,
  type Brought,
  type Expression,
  type JsonObject,
  type Principal,
  type Reply,
  type WebhookTrigger,
} from "@copper-kettle/core";
import type { Request, Response } from "express";
import { newRunId } from "../runs/ids.js";
import { broughtBy, type KeepFile } from "../triggers/delivered-bodies.js";
import { challengeSecret, proofParts, usualKey, verified } from "../triggers/deliveries.js";
import type { Happened } from "../triggers/events.js";
import type { Context } from "./context.js";
import { HttpProblem } from "./problems.js";
import { replied } from "./replies.js";
import { sendJson } from "./serve-route.js";
import type { Traffic } from "./traffic.js";

/** A delivery on its way through the checks. */
export interface Coming {
  workflow: string;
  trigger: string;
  ready: WebhookTrigger;
  /** The version that takes it, 0 for the draft; and in whose name its runs act. */
  version: number;
  principal: Principal | undefined;
  /** The name under which its keys count, where that is another. */
  keyedAs?: string | undefined;
  /** Of a draft that cannot take it yet: why. */
  notYet?: string;
  request: Request;
  response: Response;
  headers: Record<string, string>;
  query: Record<string, string>;
}

export const unknown = (): HttpProblem =>
  new HttpProblem(404, "not-found", "Not found", "There is no webhook at this address.");

export function refusal(
  status: number,
  type: string,
  title: string,
  detail: string,
  after: string,
): HttpProblem {
  return new HttpProblem(status, type, title, detail, {}, { "Retry-After": after });
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

/** Takes in a delivery whose body has come: verifies it, makes an event of it, and answers when that is durable. */
export async function deliver(
  context: Context,
  coming: Coming,
  body: Uint8Array,
  traffic: Traffic,
): Promise<void> {
  const { workflow, trigger, ready, version, principal, notYet, request, response, headers, query } = coming;
  const { verify, handshake } = ready;
  const { method } = request;
  const id = newRunId();
  const now = Date.now();
  const inScope = (brought: JsonObject): InScope => ({
    trigger: { ...brought, kind: "webhook", name: trigger },
    constants: context.constants.all(),
    id,
    at: now,
  });
  const shown = withoutProof(coming, context);
  // Before it is verified nothing of a body is parsed, but for a sender that is asked to say first who it is.
  const bring = (keep?: KeepFile) => broughtBy(context.reader.read, { method, ...shown, body }, keep);
  if (handshake?.unsigned) {
    const { brought } = await bring();
    if (greets(handshake.when, inScope(brought))) return greet(context, coming, inScope(brought));
  }
  const verdict = await verified(
    { credentials: context.credentials, grants: context.workflows.grants, tokens: context.verifier, now },
    verify,
    { headers, body, query },
    { workflow, version, principal },
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
  if ("using" in verify) context.credentials.noteWorked(verify.using);
  const { files, eventStore } = context;
  const { brought, fault } = await bring((bytes, about) =>
    files.keep({ kind: "event", id }, [bytes], { ...about, secret: eventStore.secrets.foundInBytes(bytes) }),
  );
  if (handshake && greets(handshake.when, inScope(brought))) return greet(context, coming, inScope(brought));
  if (fault) {
    await refused(context, coming, body, fault, traffic);
    throw new HttpProblem(400, "invalid-body", "The body cannot be read", fault);
  }
  if (notYet !== undefined) {
    const event = { workflow, trigger, version, at: now, brought };
    const { state } = await context.events.note(ready, { ...event, id }, "left-out", notYet);
    return sendJson(response, 202, { event: id, state, reason: notYet });
  }
  const key = usualKey(verify, brought);
  const happened = await context.events.begin({
    as: id,
    keyedAs: coming.keyedAs,
    workflow,
    trigger,
    brought,
    at: now,
    ...(key === undefined ? {} : { key }),
    ...(version === 0 && principal ? { draftBy: principal } : {}),
  });
  if (!happened) throw unknown();
  await answer(context, coming, happened, inScope(brought));
}

/** Answers a sender that asks who we are, with its challenge signed where it wants that. */
function greet({ credentials }: Context, { ready, response }: Coming, inScope: InScope): void {
  const { handshake, verify } = ready;
  if (!handshake) return;
  const { sign, reply } = handshake;
  if (!sign) return sendReply(response, reply, inScope);
  const secret = challengeSecret(verify, credentials);
  const signature = secret === undefined ? undefined : signChallenge(challengeOf(sign, inScope), secret);
  if (!signature)
    throw new HttpProblem(
      400,
      "bad-challenge",
      "Not a challenge",
      "A challenge that is signed is at most 128 characters of A-Z, a-z, 0-9, _ and -.",
    );
  sendReply(response, reply, { ...inScope, more: { signature } });
}

/** The challenge as a text; what cannot be read is none. */
function challengeOf(sign: Expression, inScope: InScope): string {
  try {
    const challenge = evaluateIn(sign, inScope);
    return typeof challenge === "string" ? challenge : "";
  } catch {
    return "";
  }
}

/** What the sender gets; what it delivered is durable by now. */
async function answer(
  context: Context,
  { ready, response }: Coming,
  happened: Happened,
  inScope: InScope,
): Promise<void> {
  const { id, state, run, reason, tooMany } = happened;
  if (state === "skipped")
    throw refusal(429, "queue-full", "No room", "Too many runs wait already. Try again.", "30");
  if (tooMany) throw new HttpProblem(413, "too-many-items", "Too many items", reason ?? "");
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
  const { workflow, trigger: name, ready, version, request, headers } = coming;
  if (!traffic.notes(`${workflow} ${name}`)) return;
  const text = maskNamedInText(Buffer.from(body.subarray(0, 2_048)).toString());
  // A signature helps to find out what is wrong; what is a secret itself is left out.
  const { header } = ready.verify.by === "hmac" ? ready.verify : { header: "webhook-signature" };
  const signature = headers[header] === undefined ? {} : { [header]: headers[header] };
  const shown = { ...withoutProof(coming, context).headers, ...signature };
  const brought: JsonObject = { method: request.method, headers: shown, body: text };
  const at = Date.now();
  await events.note(ready, { workflow, trigger: name, version, at, brought }, "refused", reason);
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
