import { route } from "../route.js";
import { jsonObject } from "./common.js";
import { z } from "zod";

/** What an editor of workflow files offers: names, and what each is, without its details. */
export const catalogue = z
  .object({
    apis: z.array(
      z.object({
        name: z.string(),
        title: z.string(),
        revision: z.number(),
        server: z.string().nullable(),
        credential: z.string().nullable(),
        operations: z.array(
          z.object({
            id: z.string(),
            method: z.string(),
            path: z.string(),
            title: z.string(),
            effect: z.enum(["reads", "writes", "repeatable"]),
          }),
        ),
      }),
    ),
    credentials: z.array(z.object({ name: z.string(), kind: z.string(), hosts: z.array(z.string()) })),
    workflows: z.array(
      z.object({ name: z.string(), title: z.string().nullable(), inputs: z.array(z.string()) }),
    ),
    constants: jsonObject,
  })
  .meta({ id: "Catalogue" });

export type CatalogueView = z.output<typeof catalogue>;

export const catalogueRoutes = {
  catalogue: route({
    method: "GET",
    path: "/api/catalogue",
    summary: "Get the names that a workflow file may use: operations, credentials, workflows, constants",
    output: catalogue,
    status: 200,
    needs: "token",
  }),
} as const;
