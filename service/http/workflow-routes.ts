import { routes, type WorkflowDetail } from "@copper-kettle/contract";
import {
  outline,
  parseDuration,
  readWorkflow,
  sha256Hex,
  workflowJsonSchema,
  type JsonObject,
} from "@copper-kettle/core";
import type { Express, Request } from "express";
import { optionsOf } from "../runs/again.js";
import { RunRow, type WorkflowRow } from "../store/models.js";
import type { Context } from "./context.js";
import { HttpProblem, notFound } from "./problems.js";
import { replied } from "./replies.js";
import { requireMayUse } from "./rights.js";
import { credentialsUsed } from "../credentials/rights.js";
import { answered, serve } from "./serve-route.js";
import { changedOperations, scopesView } from "./workflow-notes.js";
import { iso, runView, workflowDetailView, workflowSummaries } from "./views.js";

const longestWait = 10 * 60_000;

export function serveWorkflows(app: Express, context: Context): void {
  const { workflows, starts, runner } = context;

  const publishedText = async (row: WorkflowRow): Promise<string | null> =>
    row.published === null ? null : ((await workflows.version(row.name, row.published))?.text ?? null);
  const summaries = (rows: WorkflowRow[]) =>
    workflowSummaries(rows, (row) => workflows.checked(row.draft), publishedText);
  const find = async (name: string): Promise<WorkflowRow> => {
    const row = await workflows.find(name);
    if (!row) throw notFound("workflow", name);
    return row;
  };
  const detail = async (row: WorkflowRow, digest = row.draft): Promise<WorkflowDetail> => {
    const [summary] = await summaries([row]);
    const read = await workflows.checked(digest);
    const steps = read.partial?.steps ?? [];
    const version = row.published === null ? null : await workflows.version(row.name, row.published);
    return {
      ...workflowDetailView(summary as NonNullable<typeof summary>, row, await workflows.text(digest), read),
      scopes: scopesView(context, steps),
      changedOperations: version ? await changedOperations(context, steps, version.publishedAt) : [],
    };
  };

  // The first of all: starts come in by the thousand, and each route before it is looked at.
  serve(app, routes.startRun, async ({ params, query, body, request, response, by }) => {
    const found = await workflows.startable(params.name);
    if (!found) throw notFound("workflow", params.name);
    const what = body.draft ? { version: 0, text: found.draft, principal: by } : found.published;
    if (!what) {
      throw new HttpProblem(
        409,
        "not-published",
        "Not published",
        `The workflow ${params.name} was never published. Publish it, or start its draft.`,
      );
    }
    if (body.draft) await requireCredentials(context, what.text, by);
    const options = await optionsOf(context, params.name, what.text, body.options);
    const wait = waitOf(query.wait);
    const started = await starts.start({
      workflow: params.name,
      ...what,
      inputs: body.inputs,
      key: keyOf(request),
      ...options,
    });
    response.set("Location", `/api/runs/${started.row.id}`);
    if (wait === undefined) return runView(started.row, runner.isActive(started.row.id));
    if (await replied(context, started.row.id, wait, response)) return answered;
    return runView((await RunRow.findByPk(started.row.id)) ?? started.row, runner.isActive(started.row.id));
  });

  serve(app, routes.check, async ({ body }) => {
    const { partial, problems } = readWorkflow(body.text, context.apis);
    return { name: partial?.name || null, problems, outline: partial ? outline(partial.steps) : [] };
  });
  serve(app, routes.workflowSchema, async () => workflowJsonSchema() as JsonObject);
  serve(app, routes.listWorkflows, async () => ({ workflows: await summaries(await workflows.all()) }));
  serve(app, routes.workflow, async ({ params, query }) => {
    const row = await find(params.name);
    if (query.version === undefined) return detail(row);
    const version = await workflows.version(params.name, query.version);
    if (!version) throw notFound("version", `${params.name} ${query.version}`);
    return detail(row, version.text);
  });
  serve(app, routes.pushWorkflow, async ({ params, body }) => {
    const { partial } = readWorkflow(body.text);
    if (partial?.name && partial.name !== params.name) {
      throw new HttpProblem(
        422,
        "other-name",
        "The file has another name",
        `The file says "name: ${partial.name}", but it was sent for ${params.name}.`,
        {
          errors: [{ field: "name", message: `must be ${params.name}` }],
        },
      );
    }
    return detail(await workflows.push(params.name, body.text, body.base));
  });
  serve(app, routes.publishWorkflow, async ({ params, by }) => {
    await requireCredentials(context, (await find(params.name)).draft, by);
    const row = await workflows.publish(params.name, by);
    if (!row) throw notFound("workflow", params.name);
    return detail(row);
  });
  serve(app, routes.versions, async ({ params }) => {
    const row = await find(params.name);
    return {
      versions: (await workflows.versions(row.name)).map(({ version, publishedAt, publishedBy }) => ({
        version,
        publishedAt: iso(publishedAt),
        publishedBy,
        current: version === row.published,
      })),
    };
  });
  const textOf = async (row: WorkflowRow, version: number): Promise<string> => {
    if (version === 0) return workflows.text(row.draft);
    const found = await workflows.version(row.name, version);
    if (!found) throw notFound("version", `${row.name} ${version}`);
    return workflows.text(found.text);
  };
  serve(app, routes.diffVersions, async ({ params, query }) => {
    const row = await find(params.name);
    const label = (version: number): string => (version === 0 ? "draft" : `version ${version}`);
    const [from, to] = [await textOf(row, query.from), await textOf(row, query.to)];
    const { createTwoFilesPatch } = await import("diff"); // the service starts sooner
    return { diff: from === to ? "" : createTwoFilesPatch(label(query.from), label(query.to), from, to) };
  });
  serve(app, routes.rollBack, async ({ params, body, by }) => {
    const row = await find(params.name);
    const text = await textOf(row, body.version);
    await requireCredentials(context, sha256Hex(text), by);
    await workflows.push(row.name, text);
    return detail((await workflows.publish(row.name, by)) ?? row);
  });
  serve(app, routes.removeWorkflow, async ({ params }) => {
    if (!(await workflows.remove(params.name))) throw notFound("workflow", params.name);
  });
}

/**
 * Whoever lets a text act must be allowed to use the credentials of its calls. It is asked again when they are used.
 * @throws HttpProblem 403
 */
export async function requireCredentials(
  { workflows, credentials, apis }: Context,
  digest: string,
  by: string,
): Promise<void> {
  const { partial } = await workflows.parsed(digest);
  for (const name of credentialsUsed(partial?.steps ?? [], apis)) {
    const open = credentials.get(name);
    if (open) requireMayUse(open, by);
  }
}

function keyOf(request: Request): string | undefined {
  const key = request.get("Idempotency-Key");
  if (key === "" || (key?.length ?? 0) > 255) {
    throw new HttpProblem(
      400,
      "invalid-request",
      "The key is not good",
      "An Idempotency-Key has 1 to 255 characters.",
    );
  }
  return key;
}

function waitOf(text: string | undefined): number | undefined {
  if (text === undefined) return undefined;
  const millis = parseDuration(text);
  if (millis === undefined || millis < 0 || millis > longestWait) {
    throw new HttpProblem(
      400,
      "invalid-request",
      "The wait is not good",
      `"wait" is a duration of at most 10m, such as 30s; this is "${text}".`,
    );
  }
  return millis;
}
