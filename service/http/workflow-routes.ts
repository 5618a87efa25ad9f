import { routes, type WorkflowDetail } from "@copper-kettle/contract";
import {
  outline,
  parseDuration,
  readWorkflow,
  workflowJsonSchema,
  type JsonObject,
} from "@copper-kettle/core";
import type { Express, Request, Response } from "express";
import { RunRow, type WorkflowRow } from "../store/models.js";
import type { Context } from "./context.js";
import { HttpProblem, notFound } from "./problems.js";
import { answered, sendJson, serve } from "./serve-route.js";
import { runView, workflowDetailView, workflowSummaries } from "./views.js";

const longestWait = 10 * 60_000;

export function serveWorkflows(app: Express, context: Context): void {
  const { workflows, starts, runner } = context;

  const publishedText = async (row: WorkflowRow): Promise<string | null> =>
    row.published === null ? null : ((await workflows.version(row.name, row.published))?.text ?? null);
  const summaries = (rows: WorkflowRow[]) =>
    workflowSummaries(rows, (row) => workflows.parsed(row.draft), publishedText);
  const find = async (name: string): Promise<WorkflowRow> => {
    const row = await workflows.find(name);
    if (!row) throw notFound("workflow", name);
    return row;
  };
  const detail = async (row: WorkflowRow, digest = row.draft): Promise<WorkflowDetail> => {
    const [summary] = await summaries([row]);
    return workflowDetailView(
      summary as NonNullable<typeof summary>,
      row,
      await workflows.text(digest),
      await workflows.parsed(digest),
    );
  };

  serve(app, routes.check, async ({ body }) => {
    const { partial, problems } = readWorkflow(body.text);
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
    const row = await workflows.publish(params.name, by);
    if (!row) throw notFound("workflow", params.name);
    return detail(row);
  });
  serve(app, routes.removeWorkflow, async ({ params }) => {
    if (!(await workflows.remove(params.name))) throw notFound("workflow", params.name);
  });

  serve(app, routes.startRun, async ({ params, query, body, request, response }) => {
    const found = await workflows.startable(params.name);
    if (!found) throw notFound("workflow", params.name);
    const what = body.draft ? { version: 0, text: found.draft } : found.published;
    if (!what) {
      throw new HttpProblem(
        409,
        "not-published",
        "Not published",
        `The workflow ${params.name} was never published. Publish it, or start its draft.`,
      );
    }
    const wait = waitOf(query.wait);
    const started = await starts.start({
      workflow: params.name,
      ...what,
      inputs: body.inputs,
      key: keyOf(request),
    });
    response.set("Location", `/api/runs/${started.row.id}`);
    if (wait === undefined) return runView(started.row, runner.isActive(started.row.id));
    if (await replied(context, started.row.id, wait, response)) return answered;
    return runView((await RunRow.findByPk(started.row.id)) ?? started.row, runner.isActive(started.row.id));
  });
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

/**
 * Waits for a run's response and sends it. False when it did not come in time, or cannot: the run is unsure, waits
 * for a person, or sleeps past that time.
 */
async function replied(context: Context, run: string, wait: number, response: Response): Promise<boolean> {
  const { runner, journals } = context;
  const end = Date.now() + wait;
  let settle: (value: boolean) => void = () => undefined;
  const done = new Promise<boolean>((resolve) => (settle = resolve));
  const timer = setTimeout(() => settle(false), wait);
  const look = async (): Promise<void> => {
    const row = await RunRow.findByPk(run);
    const given = await journals.response(run);
    if (given) return send(given);
    if (!row || row.state === "unsure" || row.state === "held") return settle(false);
    if (row.state === "waiting" && (row.wakeAt ?? 0) > end) return settle(false);
    if (row.endedAt === null) return;
    if (row.state === "succeeded") response.status(204).set("X-Ckettle-Run", run).end();
    else {
      const { error, message } = runView(row, false);
      const problem = new HttpProblem(
        502,
        `run-${row.state}`,
        `The run ${row.state === "failed" ? "failed" : "was stopped"}`,
        error?.message ?? message ?? "It has no response.",
        { run },
      );
      sendJson(response, 502, problem.details(), "application/problem+json");
    }
    settle(true);
  };
  const send = (given: { status: number; headers: JsonObject; body: unknown }): void => {
    for (const [name, value] of Object.entries(given.headers)) response.set(name, String(value));
    response.set("X-Ckettle-Run", run);
    if (given.body === null || given.status === 204) response.status(given.status).end();
    else if (typeof given.body === "string")
      response
        .status(given.status)
        .type(response.get("Content-Type") ?? "text/plain")
        .send(given.body);
    else sendJson(response, given.status, given.body);
    settle(true);
  };
  const onResponse = (id: string, given: { status: number; headers: JsonObject; body: unknown }): void => {
    if (id === run && !response.headersSent) send(given);
  };
  const onRested = (id: string): void => void (id === run && !response.headersSent && look());
  runner.events.on("response", onResponse).on("rested", onRested);
  try {
    await look();
    return await done;
  } finally {
    clearTimeout(timer);
    runner.events.off("response", onResponse).off("rested", onRested);
  }
}
