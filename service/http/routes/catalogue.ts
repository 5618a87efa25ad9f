import { routes } from "@copper-kettle/contract";
import { inputNames, isObject } from "@copper-kettle/core";
import type { Express } from "express";
import type { Context } from "../context.js";
import { serve } from "../serve-route.js";

export function serveCatalogue(app: Express, { apis, credentials, workflows, constants }: Context): void {
  serve(app, routes.catalogue, async () => ({
    apis: apis.all().map(({ name, revision, api }) => ({
      name,
      title: api.title,
      revision,
      server: api.servers[0] ?? null,
      credential: api.credential ?? null,
      operations: api.operations.map(({ id, method, path, title, effect }) => ({
        id,
        method,
        path,
        title,
        effect,
      })),
    })),
    credentials: credentials
      .all()
      .map(({ name, credential, hosts }) => ({ name, kind: credential.kind, hosts })),
    workflows: await Promise.all(
      (await workflows.all()).map(async ({ name, draft }) => {
        const { partial } = await workflows.parsed(draft);
        return {
          name,
          title: partial?.title ?? null,
          inputs: isObject(partial?.inputs ?? null) ? inputNames({ inputs: partial?.inputs ?? null }) : [],
        };
      }),
    ),
    constants: constants.all(),
  }));
}
