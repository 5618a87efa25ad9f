import { route } from "../route.js";
import { named } from "./common.js";
import { workflowDetail } from "./workflows.js";
import { z } from "zod";

export const version = z.object({
  version: z.number(),
  publishedAt: z.string(),
  publishedBy: z.string(),
  current: z.boolean(),
});

export const versionsRoutes = {
  versions: route({
    method: "GET",
    path: "/api/workflows/{name}/versions",
    summary: "List the published versions, newest first",
    params: named,
    output: z.object({ versions: z.array(version) }),
    status: 200,
    needs: "token",
  }),
  diffVersions: route({
    method: "GET",
    path: "/api/workflows/{name}/diff",
    summary: "Get what changed from one version to another, as a unified diff; 0 is the draft",
    params: named,
    query: z.object({ from: z.coerce.number().int().min(0), to: z.coerce.number().int().min(0).default(0) }),
    output: z.object({ diff: z.string() }),
    status: 200,
    needs: "token",
  }),
  rollBack: route({
    method: "POST",
    path: "/api/workflows/{name}/roll-back",
    summary: "Publish an older version again",
    params: named,
    body: z.strictObject({ version: z.int().min(1) }),
    output: workflowDetail,
    status: 200,
    needs: "token",
  }),
} as const;
