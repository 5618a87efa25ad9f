import { route } from "../route.js";
import { named, nothing } from "./common.js";
import { z } from "zod";

const needed = {
  kind: z.enum(["credential", "workflow", "host"]),
  name: z.string().min(1).max(300),
};

export const grant = z
  .object({
    ...needed,
    givenBy: z.string(),
    givenAt: z.string(),
    withdrawnBy: z.string().nullable(),
    withdrawnAt: z.string().nullable(),
  })
  .meta({ id: "Grant" });

export type Grant = z.output<typeof grant>;

export const grantsRoutes = {
  listGrants: route({
    method: "GET",
    path: "/api/workflows/{name}/grants",
    summary: "List what the published version may use, and who gave it",
    params: named,
    output: z.object({ version: z.number().nullable(), grants: z.array(grant) }),
    status: 200,
    needs: "token",
  }),
  withdrawGrant: route({
    method: "POST",
    path: "/api/workflows/{name}/grants/withdraw",
    summary:
      "Withdraw what the published version may use, from its next use on; publishing again gives it again",
    params: named,
    body: z.strictObject(needed),
    output: nothing,
    status: 204,
    needs: "owner",
  }),
} as const;
