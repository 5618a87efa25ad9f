import { routes } from "@copper-kettle/contract";
import { sha256Hex, principalName } from "@copper-kettle/core";
import type { Express } from "express";
import type { WorkflowRecord } from "../../store/models.js";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { findWorkflow } from "../found.js";
import { notFound } from "../problems.js";
import { serve } from "../serve-route.js";
import { workflowDetail } from "../workflow-view.js";
import { publish, requireCredentials } from "./workflows.js";

export function serveVersions(app: Express, context: Context): void {
  const { workflows } = context;
  const textOf = async (row: WorkflowRecord, version: number): Promise<string> => {
    if (version === 0) return workflows.text(row.draft);
    const found = await workflows.version(row.name, version);
    if (!found) throw notFound("version", `${row.name} ${version}`);
    return workflows.text(found.text);
  };
  serve(app, routes.versions, async ({ params }) => {
    const row = await findWorkflow(context, params.name);
    return {
      versions: (await workflows.versions(row.name)).map(({ version, publishedAt, publishedBy }) => ({
        version,
        publishedAt: iso(publishedAt),
        publishedBy: principalName(publishedBy),
        current: version === row.published,
      })),
    };
  });

  serve(app, routes.diffVersions, async ({ params, query }) => {
    const row = await findWorkflow(context, params.name);
    const label = (version: number): string => (version === 0 ? "draft" : `version ${version}`);
    const [from, to] = [await textOf(row, query.from), await textOf(row, query.to)];
    const { createTwoFilesPatch } = await import("diff"); // the service starts sooner
    return { diff: from === to ? "" : createTwoFilesPatch(label(query.from), label(query.to), from, to) };
  });

  serve(app, routes.rollBack, async ({ params, body, by }) => {
    const row = await findWorkflow(context, params.name);
    const text = await textOf(row, body.version);
    await requireCredentials(context, sha256Hex(text), by);
    await workflows.push(row.name, text);
    return workflowDetail(context, (await publish(context, row.name, by)) ?? row);
  });
}
