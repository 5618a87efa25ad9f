import { workflowsRoutes, type Client } from "@copper-kettle/contract";
import { isObject, JsonSyntaxError, parseJson, type Json, type JsonObject } from "@copper-kettle/core";
import { Exit, exitCodes } from "../context.js";
import { readText } from "../read-text.js";
import { exampleOf } from "./examples.js";
import type { InputOptions } from "./options.js";

/**
 * The inputs of a run, as options give them.
 * @throws Exit
 */
export async function inputsOf(client: Client, name: string, options: InputOptions): Promise<JsonObject> {
  const inputs = options.inputs
    ? fromFile(options.inputs)
    : options.example === undefined
      ? {}
      : { ...(await exampleOf(client, name, options.example)).inputs };
  if (options.input.length === 0) return inputs;
  const { inputs: schema } = await client.call(workflowsRoutes.workflow, { params: { name } });
  for (const pair of options.input) Object.assign(inputs, fromPair(pair, schema));
  return inputs;
}

export function fromFile(file: string): JsonObject {
  try {
    const value = parseJson(readText(file));
    if (isObject(value)) return value;
  } catch (error) {
    if (error instanceof JsonSyntaxError)
      throw new Exit(exitCodes.wrongUse, `${file} is not JSON: ${error.message}`);
    throw error;
  }
  throw new Exit(
    exitCodes.wrongUse,
    `${file} must hold one JSON object, such as {"email": "odd@huts.example"}.`,
  );
}

/** `key=value`; the value is read by the type that the workflow's inputs say. */
function fromPair(pair: string, schema: JsonObject | null): JsonObject {
  const at = pair.indexOf("=");
  if (at < 1) throw new Exit(exitCodes.wrongUse, `An input is key=value; this is "${pair}".`);
  const [key, text] = [pair.slice(0, at), pair.slice(at + 1)];
  const properties = schema?.["properties"];
  const property = isObject(properties) ? properties[key] : undefined;
  return { [key]: typed(text, isObject(property) ? property["type"] : undefined) };
}

function typed(text: string, type: Json | undefined): Json {
  const types = Array.isArray(type) ? type : [type];
  if (types.includes("string") || type === undefined) return text;
  try {
    return parseJson(text);
  } catch {
    return text; // the service says what is wrong with it
  }
}
