import { routes } from "@copper-kettle/contract";
import {
  describeWorkflow,
  type JsonObject,
  outline,
  readWorkflow,
  workflowJsonSchema,
  type Principal,
} from "@copper-kettle/core";
import type { Express } from "express";
import type { WorkflowRecord } from "../../store/models.js";
import { begunAnew, wantedOf } from "../../triggers/arming.js";
import { neededBy } from "../../people/needed.js";
import { credentialsUsed } from "../../credentials/rights.js";
import type { Context } from "../context.js";
import { callableAt } from "../describing.js";
import { findWorkflow } from "../found.js";
import { Presence } from "../presence.js";
import { HttpProblem, notFound } from "../problems.js";
import { requireMayUse } from "../rights.js";
import { serve } from "../serve-route.js";
import { workflowDetail, workflowSummaries } from "../workflow-view.js";

export function serveWorkflows(app: Express, context: Context): void {
  const { workflows } = context;
  serve(app, routes.check, async ({ body }) => {
    const { partial, problems } = readWorkflow(body.text, workflows.catalogue);
    return { name: partial?.name || null, problems, outline: partial ? outline(partial.steps) : [] };
  });

  serve(app, routes.workflowSchema, async () => workflowJsonSchema() as JsonObject);

  serve(app, routes.listWorkflows, async () => ({
    workflows: await workflowSummaries(context, await workflows.all()),
  }));

  serve(app, routes.workflow, async ({ params, query }) => {
    const row = await findWorkflow(context, params.name);
    if (query.version === undefined) return workflowDetail(context, row);
    const version = await workflows.version(params.name, query.version);
    if (!version) throw notFound("version", `${params.name} ${query.version}`);
    return workflowDetail(context, row, version.text);
  });

  serve(app, routes.describeWorkflow, async ({ params }) => {
    const { name, draft } = await findWorkflow(context, params.name);
    const text = (await workflows.startable(name))?.published?.text ?? draft;
    const { openapi, ways } = describeWorkflow(await workflows.ready(name, text), callableAt(context));
    return { openapi, ways: ways.map((way) => ({ ...way, trigger: way.trigger ?? null })) };
  });

  const presence = new Presence();
  serve(app, routes.workflowHere, async ({ params: { name }, body, by }) => {
    await findWorkflow(context, name);
    if (!body.leaves) return { others: presence.here(name, body.window, by) };
    presence.gone(name, body.window, by);
    return { others: [] };
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
    return workflowDetail(context, await workflows.push(params.name, body.text, body.base));
  });

  serve(app, routes.publishWorkflow, async ({ params, by }) => {
    await requireCredentials(context, (await findWorkflow(context, params.name)).draft, by);
    const before = (await workflows.startable(params.name))?.published;
    const older = before && (await workflows.ready(params.name, before.text).catch(() => undefined));
    const row = await publish(context, params.name, by);
    if (!row) throw notFound("workflow", params.name);
    const notes = older ? begunAnew(older, await workflows.ready(row.name, row.draft)) : [];
    return { ...(await workflowDetail(context, row)), notes };
  });

  serve(app, routes.removeWorkflow, async ({ params }) => {
    if (!(await workflows.remove(params.name))) throw notFound("workflow", params.name);
  });
}

/** Makes the draft of a workflow its published version, with what that one may use, and with its triggers in force. */
export async function publish(
  { workflows, apis, constants, schedules }: Context,
  name: string,
  by: Principal,
): Promise<WorkflowRecord | undefined> {
  const now = constants.all();
  const published = await workflows.publish(name, by, (workflow) => ({
    needed: neededBy(workflow, { apis, constants: now }),
    wanted: wantedOf(workflow, now, Date.now()),
  }));
  void schedules.wakeSoon();
  return published;
}

/**
 * Whoever lets a text act must be allowed to use the credentials of its calls. It is asked again when they are used.
 * @throws HttpProblem 403
 */
export async function requireCredentials(
  { workflows, credentials, apis }: Context,
  digest: string,
  by: Principal,
): Promise<void> {
  const { partial } = await workflows.parsed(digest);
  for (const name of credentialsUsed(partial, apis)) {
    const open = credentials.get(name);
    if (open) requireMayUse(open, by);
  }
}
