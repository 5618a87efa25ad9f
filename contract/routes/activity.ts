import { route } from "../route.js";
import { name } from "./common.js";
import { z } from "zod";

export const activity = z
  .object({
    id: z.number(),
    at: z.string(),
    by: z.string(),
    action: z.string(),
    kind: z.string(),
    name: z.string(),
    run: z.string().nullable(),
    detail: z.string().nullable(),
  })
  .meta({ id: "Activity" });

export type Activity = z.output<typeof activity>;

export const activityRoutes = {
  listActivity: route({
    method: "GET",
    path: "/api/activity",
    summary: "The activity record: who did what, the newest first",
    query: z.object({
      credential: name.optional(),
      before: z.coerce.number().int().optional(),
      limit: z.coerce.number().int().min(1).max(500).default(100),
    }),
    output: z.object({ activity: z.array(activity) }),
    status: 200,
    needs: "token",
  }),
} as const;
