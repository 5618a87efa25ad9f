import { routes, type TryEntry, type TryResult } from "@copper-kettle/contract";
import {
  CredentialMissing,
  CredentialWaits,
  defaultEffect,
  derivedId,
  type FoundSecret,
  type JsonObject,
  NotUnderstood,
  parseJson,
  printJson,
  readPasted,
  RequestRefused,
  SchemeFault,
  understandPasted,
  type UnderstoodRequest,
  type Principal,
  principalName,
  printPrincipal,
} from "@copper-kettle/core";
import type { Express } from "express";
import type { TryRecord } from "../../store/api-models.js";
import { iso } from "../../times.js";
import { choicesFor, NoChoices } from "../../tries/choices.js";
import { BadTry, type Prepared, prepareTry } from "../../tries/prepare.js";
import { givenForHistory } from "../../tries/show.js";
import { masksOf, tryNow } from "../../tries/try.js";
import type { Context } from "../context.js";
import { findOperation } from "../found.js";
import { HttpProblem, notFound } from "../problems.js";
import { requireMayCall } from "../rights.js";
import { serve } from "../serve-route.js";

export function serveTries(app: Express, context: Context): void {
  const { apis, credentials } = context;

  serve(app, routes.readPasted, async ({ body }) => {
    const sample = understood(body.text);
    const { method, secret } = sample;
    const path = sample.path.split("/").map((part, index) => {
      const found = sample.variable.find((one) => one.index === index - 1);
      return found ? `{${found.name}}` : part;
    });
    return {
      ...sample,
      body: sample.body ?? null,
      secret: secret ? { kind: secret.kind, shown: shownSecret(secret) } : null,
      effect: defaultEffect(method),
      id: derivedId(method, path.join("/")),
    };
  });

  serve(app, routes.tryOperation, async ({ body, by }) => {
    try {
      const prepared = await prepareTry(apis, body);
      requireMayCall(credentials, prepared.using, by);
      const masks = masksOf(context, prepared);
      const result = await tryNow(context, prepared, by, masks);
      noteDrift(context, prepared, result);
      const given = givenForHistory(body, prepared, masks);
      return { ...result, id: await keepTry(context, body.operation ?? null, given, result, by) };
    } catch (error) {
      throw tryProblem(error);
    }
  });

  serve(app, routes.choices, async ({ params: { name, id }, query, by }) => {
    const allowed = ({ using }: Prepared): void => requireMayCall(credentials, using, by);
    try {
      return { choices: await choicesFor(context, findOperation(context, name, id), query.of, by, allowed) };
    } catch (error) {
      if (!(error instanceof NoChoices)) throw error;
      throw new HttpProblem(422, "no-choices", "There are no choices", error.message);
    }
  });

  serve(app, routes.listTries, async ({ query }) => {
    return { tries: (await context.tries.list(query.operation, query.limit)).map(entryView) };
  });

  serve(app, routes.try, async ({ params }) => {
    const row = await context.tries.find(params.id);
    if (!row) throw notFound("try", String(params.id));
    // Tries of earlier versions have no link.
    const result = {
      link: null,
      ...(parseJson(row.result) as JsonObject),
      id: row.id,
    } as unknown as TryResult;
    return { ...entryView(row), result };
  });
}

/** A larger response is stored in the history without its body. */
const mostKept = 1_000_000;

function entryView({ id, at, by, operation, given, status, took }: Omit<TryRecord, "result">): TryEntry {
  return {
    id,
    at: iso(at),
    by: principalName(by),
    operation,
    given: parseJson(given) as JsonObject,
    status,
    took,
  };
}

function noteDrift({ drift }: Context, { described }: Prepared, result: Omit<TryResult, "id">): void {
  if (!described || result.status === null) return;
  const { open, operation } = described;
  const seen = { api: open.name, operation: operation.id, status: result.status, run: null };
  drift.note(seen, result.drift as Parameters<typeof drift.note>[1]);
}

/** Stores a try in the history; returns its number. */
async function keepTry(
  context: Context,
  operation: string | null,
  given: JsonObject,
  result: Omit<TryResult, "id">,
  by: Principal,
): Promise<number> {
  const whole = printJson(result);
  const kept = whole.length <= mostKept ? whole : printJson({ ...result, body: null, text: null });
  const { status, took } = result;
  const row = {
    at: Date.now(),
    by: printPrincipal(by),
    operation,
    given: printJson(given),
    status,
    took,
    result: kept,
  };
  return context.tries.add(row);
}

/** A pasted request, read.
 * @throws HttpProblem 422
 */
export function understood(text: string): UnderstoodRequest {
  try {
    return understandPasted(readPasted(text));
  } catch (error) {
    if (!(error instanceof NotUnderstood)) throw error;
    throw new HttpProblem(422, "not-understood", "The request could not be read", error.message, {
      errors: [{ field: "text", message: error.message }],
    });
  }
}

export function tryProblem(error: unknown): unknown {
  if (error instanceof BadTry)
    return new HttpProblem(422, "bad-try", "This cannot be sent yet", error.message, {
      errors: error.faults,
    });
  if (error instanceof RequestRefused && error.code === "response-too-large")
    return new HttpProblem(422, error.code, "The response is too large", error.message);
  if (error instanceof RequestRefused)
    return new HttpProblem(422, error.code, "This cannot be sent", error.message, {
      errors: [{ field: "url", message: error.message }],
    });
  if (error instanceof CredentialWaits || error instanceof CredentialMissing || error instanceof SchemeFault)
    return new HttpProblem(409, "credential", "The credential cannot be used for this", error.message, {
      errors: [{ field: "using", message: error.message }],
    });
  return error;
}

/** A key that was found, as people may see it: its first letters and its length. */
function shownSecret(secret: FoundSecret): string {
  const cut = (text: string) =>
    text === ""
      ? "a placeholder"
      : `${text.slice(0, Math.min(3, Math.floor(text.length / 4)))}••• (${text.length} characters)`;
  switch (secret.kind) {
    case "bearer":
      return `Authorization: Bearer ${cut(secret.token)}`;
    case "basic":
    case "digest":
      return `user ${secret.user}, password ${cut(secret.password)}`;
    case "api-key":
      return secret.parts
        .map(({ place, name, prefix, secret: key }) => `${place} ${name}: ${prefix}${cut(key)}`)
        .join(", ");
  }
}
