import { route } from "../route.js";
import { jsonObject, named } from "./common.js";
import { z } from "zod";

export const rememberedRoutes = {
  remembered: route({
    method: "GET",
    path: "/api/workflows/{name}/remembered",
    summary: "List the values that a workflow remembers",
    params: named,
    output: z.object({
      remembered: z.array(
        z.object({
          key: z.string(),
          values: jsonObject,
          expires: z.string().nullable(),
          changedAt: z.string(),
        }),
      ),
    }),
    status: 200,
    needs: "token",
  }),
  forgetRemembered: route({
    method: "DELETE",
    path: "/api/workflows/{name}/remembered",
    summary: "Forget one key of a workflow",
    params: named,
    query: z.object({ key: z.string() }),
    output: z.undefined(),
    status: 204,
    needs: "token",
  }),
} as const;
