import { routes } from "@copper-kettle/contract";
import {
  comparedFields,
  operationById,
  operationName,
  jsonOrText,
  readBackParameters,
  recordLink,
  type Answered,
  type JsonObject,
  type Operation,
} from "@copper-kettle/core";
import type { Express } from "express";
import { prepareTry } from "../../tries/prepare.js";
import { masksOf, tryNow } from "../../tries/try.js";
import type { Context } from "../context.js";
import { findRun, openEntries } from "../found.js";
import { HttpProblem } from "../problems.js";
import { requireMayCall } from "../rights.js";
import { serve } from "../serve-route.js";
import { tryProblem } from "./tries.js";

export function serveRecords(app: Express, context: Context): void {
  serve(app, routes.record, async ({ params, query }) => {
    const found = await callOf(context, params.id, query.path);
    if (!found) return { link: null, readBack: null };
    const { api, operation, call } = found;
    const parameters = readBackParameters(operation, call);
    return {
      link: recordLink(operation, call) ?? null,
      readBack: parameters ? fullName(api, operation) : null,
    };
  });

  serve(app, routes.readBack, async ({ params, body, by }) => {
    const found = await callOf(context, params.id, body.path);
    const parameters = found && readBackParameters(found.operation, found.call);
    if (!found || !parameters)
      throw new HttpProblem(
        409,
        "no-read-back",
        "Nothing to read back",
        `The operation of ${body.path} has no x-ckettle-read-back, or its response does not give the parameters for it.`,
      );
    const operation = fullName(found.api, found.operation);
    const prepared = await prepareTry(context.apis, { operation, parameters }).catch((error: unknown) => {
      throw tryProblem(error);
    });
    requireMayCall(context.credentials, prepared.using, by);
    if (prepared.effect !== "reads")
      throw new HttpProblem(409, "no-read-back", "Nothing to read back", `${operation} does not only read.`);
    const result = await tryNow(context, prepared, by, masksOf(context, prepared));
    const isThere = result.status !== null && result.status < 400;
    return {
      operation,
      status: result.status,
      failure: result.failure?.message ?? (isThere ? null : result.explanation),
      fields: isThere ? comparedFields(found.call.request.body, result.body) : [],
    };
  });
}

/** The operation that reads back; one of another API is written with its name. */
function fullName(api: string, { readBack }: Operation): string {
  const written = readBack?.operation ?? "";
  return operationName(written) ? written : `${api}.${written}`;
}

/** A call of a run that was answered, with the operation that it called; secrets in it are masked. */
async function callOf(
  context: Context,
  run: string,
  path: string,
): Promise<{ api: string; operation: Operation; call: Answered } | undefined> {
  await findRun(context, run);
  const own = (await openEntries(context, run)).filter((entry) => "path" in entry && entry.path === path);
  const begun = own.find((entry) => entry.type === "begun");
  const attempt = own.findLast((entry) => entry.type === "attempt");
  if (begun?.type !== "begun" || attempt?.type !== "attempt" || !attempt.response) return undefined;
  const name = operationName(String(begun.data["operation"] ?? ""));
  const api = name && context.apis.get(name.api)?.api;
  const operation = api && operationById(api.operations, name.id);
  if (!operation) return undefined;
  const { method, url, body } = begun.data["request"] as JsonObject;
  const { status, headers, body: came } = attempt.response;
  return {
    api: name.api,
    operation,
    call: {
      request: {
        method: String(method),
        url: String(url),
        body: typeof body === "string" ? jsonOrText(body) : null,
      },
      response: { status, headers: headers as JsonObject, body: came },
    },
  };
}
