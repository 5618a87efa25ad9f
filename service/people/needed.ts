import {
  operationById,
  calledWorkflows,
  workflowCalls,
  type JsonObject,
  type Workflow,
} from "@copper-kettle/core";
import { credentialsUsed } from "../credentials/rights.js";
import type { ApiStore } from "../store/apis.js";
import type { Needed } from "../store/grants.js";

/**
 * What a workflow uses: the credentials of its calls and of its webhooks, the workflows that they call, and the hosts that they send to, as
 * far as the file, its APIs and the constants of now say them.
 */
export function neededBy(
  workflow: Pick<Workflow, "steps" | "triggers">,
  { apis, constants }: { apis: Pick<ApiStore, "get">; constants: JsonObject },
): Needed[] {
  const named = (kind: Needed["kind"], names: Iterable<string>): Needed[] =>
    [...new Set(names)].map((name) => ({ kind, name }));
  const hosts = workflowCalls(workflow).flatMap(({ operation, url }) =>
    (operation ? serversOf(apis, operation) : [url.source.replace(/^\S+\s+/, "")]).flatMap((text) =>
      hostOf(text, constants),
    ),
  );
  return [
    ...named("credential", credentialsUsed(workflow, apis)),
    ...named("workflow", calledWorkflows(workflow.steps)),
    ...named("host", hosts),
  ];
}

/** Where calls of an operation may go: a document may give it an address of its own. */
function serversOf(apis: Pick<ApiStore, "get">, { api: name, id }: { api: string; id: string }): string[] {
  const api = apis.get(name)?.api;
  const operation = operationById(api?.operations ?? [], id);
  return api ? [operation?.server ?? [], operation?.server === undefined ? api.servers : []].flat() : [];
}

/** The host at the beginning of a URL that is written out, or begins with a constant; none where it is made otherwise. */
function hostOf(text: string, constants: JsonObject): string[] {
  const [, name] = /^\$\{\s*constants\.([A-Za-z_]\w*)\s*\}/.exec(text) ?? [];
  const begin = name === undefined ? text : String(constants[name] ?? "");
  const [, host] = /^https?:\/\/([^/?#${}\s]+)/i.exec(begin) ?? [];
  const whole = host !== undefined && !begin.slice(begin.indexOf(host) + host.length).startsWith("$");
  return whole ? [host.toLowerCase()] : [];
}
