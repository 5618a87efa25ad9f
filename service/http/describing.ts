import { openApiOf, type CallableAt, type JsonObject, type Workflow } from "@copper-kettle/core";
import type { Context } from "./context.js";

/** Where other programs reach the service, and what they must show there; no secret is in it. */
export function callableAt({ webhooksUrl, publicUrl, credentials }: Context): CallableAt {
  return {
    webhooksUrl,
    publicUrl,
    keyPlaces: (name) => {
      const credential = credentials.get(name)?.credential;
      return credential?.kind === "api-key"
        ? credential.parts.map(({ place, name: field, prefix }) => ({ place, name: field, prefix }))
        : [];
    },
  };
}

/**
 * The OpenAPI document that anybody may read: of the published workflows that say what they respond. Who lists
 * `responses` means other programs to call.
 */
export async function publicDescription(context: Context): Promise<JsonObject> {
  const { workflows } = context;
  const told: Workflow[] = [];
  for (const name of new Set((await workflows.triggers.webhooks()).map(({ workflow }) => workflow))) {
    const found = (await workflows.startable(name))?.published;
    const ready = found && (await workflows.ready(name, found.text).catch(() => undefined));
    if (ready?.responses) told.push(ready);
  }
  return openApiOf(told, callableAt(context));
}
