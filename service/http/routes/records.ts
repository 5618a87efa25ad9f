import { routes } from "@copper-kettle/contract";
import {
  comparedFields,
  operationName,
  readBackParameters,
  recordLink,
  type Operation,
} from "@copper-kettle/core";
import type { Express } from "express";
import { prepareTry } from "../../tries/prepare.js";
import { masksOf, tryNow } from "../../tries/try.js";
import type { Context } from "../context.js";
import { callOf } from "../found.js";
import { HttpProblem } from "../problems.js";
import { requireMayCall } from "../rights.js";
import { serve } from "../serve-route.js";
import { tryProblem } from "./tries.js";

export function serveRecords(app: Express, context: Context): void {
  serve(app, routes.record, async ({ params, query }) => {
    const found = await callOf(context, params.id, query.path);
    if (!found) return { operation: null, link: null, readBack: null };
    const { api, operation, call } = found;
    const parameters = readBackParameters(operation, call);
    return {
      operation: `${api}.${operation.id}`,
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
