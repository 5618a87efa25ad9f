import {
  apisRoutes,
  constantsRoutes,
  credentialsRoutes,
  runsRoutes,
  triggersRoutes,
  workflowsRoutes,
  type Client,
} from "@copper-kettle/contract";
import type { JsonObject } from "@copper-kettle/core";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { installed } from "./serve.js";

type Addresses = Record<string, string>;

/** examples/demo.json: what the demo puts into a service. */
interface DemoPlan {
  apis: { name: string; credential?: string }[];
  credentials: { name: string; standIn: string; input: JsonObject }[];
  workflows: string[];
  /** Stand-ins that are told where to deliver. */
  webhooks: { standIn: string; workflow: string; trigger: string }[];
  starts: { workflow: string; inputs: JsonObject }[];
}

/**
 * Puts constants, credentials, APIs and examples into the service. What an earlier start put there may have been changed or
 * removed since, and is left alone, but for the addresses of stand-ins that have moved.
 * @param before where the stand-ins were; `key` is set where it was just made
 */
export async function loadDemo(
  client: Client,
  {
    folder,
    addresses,
    before,
    key,
  }: { folder: string; addresses: Addresses; before: Addresses; key: string | undefined },
): Promise<void> {
  const planText = readFileSync(installed("examples/demo.json"), "utf8")
    .replaceAll('"@identity"', JSON.stringify(addresses["identity"]))
    .replaceAll('"@key"', JSON.stringify(key ?? null));
  const plan = JSON.parse(planText) as DemoPlan;
  const noted = join(folder, "demo-loaded.json");
  const loaded = new Set(existsSync(noted) ? (JSON.parse(readFileSync(noted, "utf8")) as string[]) : []);
  const moved = (standIn: string): boolean =>
    before[standIn] !== undefined && before[standIn] !== addresses[standIn];
  /** Does what is done once; again where it is still ours and something of it has moved. */
  const once = async (what: string, again: boolean, put: () => Promise<unknown>): Promise<void> => {
    if (loaded.has(what) && !again) return;
    await put();
    loaded.add(what);
  };
  const { constants } = await client.call(constantsRoutes.constants);
  for (const [name, value] of Object.entries(addresses))
    await once(`constant ${name}`, moved(name) && constants[name] === before[name], () =>
      client.call(constantsRoutes.putConstant, { params: { name }, body: { value } }),
    );
  const { credentials } = await client.call(credentialsRoutes.listCredentials);
  for (const { name, standIn, input } of plan.credentials) {
    const isThere = credentials.some((credential) => credential.name === name);
    const hosts = [new URL(addresses[standIn] as string).host];
    await once(`credential ${name}`, isThere && (moved(standIn) || moved("identity")), () =>
      client.call(credentialsRoutes.putCredential, {
        params: { name },
        body: { ...withoutNull(input), hosts } as never,
      }),
    );
  }
  const { apis } = await client.call(apisRoutes.listApis);
  for (const { name, credential } of plan.apis) {
    const server = addresses[name] as string;
    const ours = apis.some((api) => api.name === name && api.server === before[name]);
    await once(`api ${name}`, moved(name) && ours, () =>
      client.call(apisRoutes.putApi, {
        params: { name },
        body: {
          url: `${server}/openapi.yaml`,
          server,
          rules: true,
          ...(credential === undefined ? {} : { credential }),
        },
      }),
    );
  }
  for (const name of plan.workflows)
    await once(`workflow ${name}`, false, async () => {
      const text = readFileSync(installed(`examples/${name}.copper-kettle.yaml`), "utf8");
      await client.call(workflowsRoutes.pushWorkflow, { params: { name }, body: { text } });
      await client.call(workflowsRoutes.publishWorkflow, { params: { name } });
    });
  for (const webhook of plan.webhooks) await tellStandIn(client, addresses, webhook);
  await once("starts", false, async () => {
    for (const { workflow, inputs } of plan.starts)
      await client.call(runsRoutes.startRun, { params: { name: workflow }, body: { inputs } });
  });
  writeFileSync(noted, JSON.stringify([...loaded]));
}

/** A secret that is left out stays as it is stored. */
function withoutNull(input: JsonObject): JsonObject {
  return Object.fromEntries(Object.entries(input).filter(([, value]) => value !== null));
}

/** Tells a stand-in where to deliver. */
async function tellStandIn(
  client: Client,
  addresses: Addresses,
  { standIn, workflow, trigger }: DemoPlan["webhooks"][number],
): Promise<void> {
  const found = await client
    .call(triggersRoutes.trigger, { params: { name: workflow, trigger } })
    .catch(() => undefined); // somebody may have taken it out
  // An address that nobody guesses is told only once: the stand-in gets a new one each time, and the older one holds on.
  const address =
    found?.address && found.address.secret !== "none"
      ? (
          await client.call(triggersRoutes.replaceAddress, {
            params: { name: workflow, trigger },
            body: { overlap: "24h" },
          })
        ).address
      : found?.address?.url;
  await fetch(`${addresses[standIn] as string}/_control/settings`, {
    method: "PUT",
    headers: { "Content-Type": "application/json" },
    body: JSON.stringify({ webhook: address ?? null }),
  });
}
