import { runsRoutes, workflowsRoutes, type Client } from "@copper-kettle/contract";
import type { Expression, JsonObject, ValueMap } from "@copper-kettle/core";
import { Exit, exitCodes } from "../context.js";

/** An example of a workflow's file: inputs with a name, and what must hold when a run of it has ended. */
export interface Example {
  name: string;
  inputs: JsonObject;
  expect?: Expression;
}

/** The examples of all triggers by hand of a draft. */
export async function examplesOf(client: Client, name: string): Promise<Example[]> {
  const { text } = await client.call(workflowsRoutes.workflow, { params: { name } });
  const { readWorkflow } = await import("../language.js");
  const { triggers = {} } = readWorkflow(text).partial ?? {};
  return Object.values(triggers).flatMap((trigger) => (trigger.kind === "by-hand" ? trigger.examples : []));
}

/** @throws Exit where there is no example of this name */
export async function exampleOf(client: Client, workflow: string, name: string): Promise<Example> {
  const all = await examplesOf(client, workflow);
  const found = all.find((one) => one.name === name);
  if (found) return found;
  const names = all.map((one) => `"${one.name}"`).join(", ");
  throw new Exit(
    exitCodes.wrongUse,
    `${workflow} has no example "${name}". ${names ? `It has: ${names}.` : "Its file has none: they stand under by-hand, examples."}`,
  );
}

/** Why a run of an example is not as its file expects; undefined where it is. */
export async function unlike(client: Client, example: Example, run: string): Promise<string | undefined> {
  const { expect } = example;
  const { state, error } = await client.call(runsRoutes.run, { params: { id: run } });
  if (!expect) return state === "succeeded" ? undefined : `it ${state}: ${error?.message ?? ""}`;
  const scope = await client.call(runsRoutes.runScope, { params: { id: run } });
  const { evaluateToJson, ExpressionError } = await import("../language.js");
  try {
    const holds = evaluateToJson(expect, scope as unknown as ValueMap, {
      now: () => Date.now(),
      uuid: () => crypto.randomUUID(),
    });
    return holds === true ? undefined : `not so: ${expect.text}`;
  } catch (thrown) {
    if (!(thrown instanceof ExpressionError)) throw thrown;
    return `${expect.text}: ${thrown.message}`;
  }
}
