import { route } from "../route.js";
import { runState } from "./runs.js";
import { z } from "zod";

export const locksRoutes = {
  locks: route({
    method: "GET",
    path: "/api/locks",
    summary: "List the names that steps have locked, and the runs that wait for them",
    output: z.object({
      locks: z.array(
        z.object({
          name: z.string(),
          run: z.string(),
          path: z.string(),
          state: runState,
          waiting: z.array(z.string()),
        }),
      ),
    }),
    status: 200,
    needs: "token",
  }),
} as const;
