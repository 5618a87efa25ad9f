import { workflowsRoutes, type OutputOf } from "@copper-kettle/contract";
import type { Command } from "commander";
import colors from "../colors.js";
import { clientOf, globalsOf } from "../context.js";
import { show } from "../output.js";

type Way = OutputOf<typeof workflowsRoutes.describeWorkflow>["ways"][number];

/** `workflow describe`: what another program needs to call a workflow. */
export function addDescribe(group: Command): void {
  group
    .command("describe")
    .description("print what another program needs to call a workflow: ready calls for curl and fetch")
    .argument("<name>")
    .option("--openapi", "print an OpenAPI 3.1 document instead")
    .action(async (name: string, { openapi = false }: { openapi?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const told = await clientOf(globals).call(workflowsRoutes.describeWorkflow, { params: { name } });
      if (openapi) process.stdout.write(`${JSON.stringify(told.openapi, undefined, 2)}\n`);
      else show(globals, told, () => told.ways.map(wayText).join("\n\n"));
    });
}

const wayText = ({ trigger, method, url, proof, response, curl, fetch }: Way): string =>
  [
    colors.bold(trigger === null ? "By the API of the service" : `By the webhook ${trigger}`),
    `${method} ${url}`,
    `Proof: ${proof}`,
    `Response: ${response}`,
    ...secretsIn(curl),
    "",
    colors.bold("curl"),
    curl,
    "",
    colors.bold("fetch (an ES module)"),
    fetch,
  ].join("\n");

/** Which variables a call reads, in words. */
function secretsIn(call: string): string[] {
  const told: [string, string][] = [
    ["SECRET", "the secret, key or token"],
    ["LOGIN", "user:password"],
    ["ADDRESS", "the last part of its address, as ckettle trigger address printed it"],
  ];
  return told
    .filter(([name]) => new RegExp(`\\$\\{?${name}\\b`).test(call))
    .map(([name, what]) => `The variable ${name} holds ${what}.`);
}
