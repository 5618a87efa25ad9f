import { route } from "../route.js";
import { name } from "./common.js";
import { z } from "zod";

export const bounds = {
  days: z.number().min(0.001).max(36_500).optional(),
  runs: z.int().min(1).max(10_000_000).optional(),
};

export const retention = z.strictObject({
  ...bounds,
  workflows: z.record(name, z.strictObject(bounds)).default({}),
});

export type Retention = z.output<typeof retention>;

export const retentionRoutes = {
  retention: route({
    method: "GET",
    path: "/api/settings/retention",
    summary: "Retention, and how many of each workflow",
    output: retention,
    status: 200,
    needs: "token",
  }),
  putRetention: route({
    method: "PUT",
    path: "/api/settings/retention",
    summary: "Set how long ended runs are retained, and how many of each workflow",
    body: retention,
    output: retention,
    status: 200,
    needs: "owner",
  }),
  prune: route({
    method: "POST",
    path: "/api/retention/prune",
    summary: "Delete old runs now what retention says; it also happens by itself, once a minute",
    output: z.object({ runs: z.number(), files: z.number() }),
    status: 200,
    needs: "owner",
  }),
} as const;
