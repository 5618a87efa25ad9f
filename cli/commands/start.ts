import { runsRoutes, workflowsRoutes, type Client, type RunDetail } from "@copper-kettle/contract";
import {
  isObject,
  JsonSyntaxError,
  parseJson,
  printJson,
  type Json,
  type JsonObject,
} from "@copper-kettle/core";
import type { Command } from "commander";
import { clientOf, Exit, exitCodes, globalsOf, serviceUrl, type Globals } from "../context.js";
import { entryLine } from "../entries.js";
import { followRun } from "../follow.js";
import { counted, say, show, stateText } from "../output.js";
import { exampleOf } from "./examples.js";
import { readText } from "./workflow.js";

interface StartOptions extends InputOptions {
  wait?: boolean;
  draft?: boolean;
  key?: string;
}

/** Inputs of a run as options give them: from a file, and one by one. */
export interface InputOptions {
  input: string[];
  inputs?: string;
  example?: string;
}

/** Adds the options that give inputs. */
export function withInputs(command: Command): Command {
  return command
    .option("-i, --input <key=value>", "an input; repeat it for more", collect, [])
    .option("--inputs <file>", "inputs as a JSON file, or - for standard input")
    .option("--example <name>", "the inputs of an example of the file; -i changes some of them");
}

/** For an option that can be repeated. */
export function collect(value: string, before: string[]): string[] {
  return [...before, value];
}

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

/** Follows a run until it comes to rest, with its entries on a terminal. */
export async function follow(client: Client, globals: Globals, id: string): Promise<RunDetail> {
  await followRun(
    client,
    id,
    serviceUrl(globals),
    (entry) => {
      const line = process.stderr.isTTY ? entryLine(entry) : undefined;
      if (line) say(line);
    },
    { throughSleep: true },
  );
  return client.call(runsRoutes.run, { params: { id } });
}

export function addStart(program: Command): void {
  withInputs(
    program.command("start").description("start a run of a workflow").argument("<name>", "the workflow"),
  )
    .option("-w, --wait", "follow the run and print its response; exit code 1 when it does not succeed")
    .option("--draft", "run the draft instead of the published version")
    .option("--key <text>", "an idempotency key: starts with the same key give one run")
    .action(async (name: string, options: StartOptions, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const inputs = await inputsOf(client, name, options);
      const run = await client.call(runsRoutes.startRun, {
        params: { name },
        body: { inputs, draft: options.draft ?? false },
        ...(options.key ? { headers: { "Idempotency-Key": options.key } } : {}),
      });
      if (!options.wait) return show(globals, run, () => run.id);
      finish(await follow(client, globals, run.id), () => globals);
    });
}

/** Prints the response of a run that has come to rest, and ends with the fitting code. */
export function finish(run: RunDetail, globals: () => { json?: boolean }): void {
  show(globals(), run, () => (run.response ? printJson(run.response.body, 2) : ""));
  if (run.problems > 0)
    say(`The run succeeded with ${counted(run.problems, "problem")}: ckettle run show ${run.id}`);
  if (run.state === "succeeded") return;
  const why =
    run.error?.message ??
    run.message ??
    (run.unsure[0] ? `${run.unsure[0].path}: ${run.unsure[0].reason}` : "");
  const next =
    run.state === "unsure" ? `\nDecide with: ckettle run decide ${run.id} happened|again|skip|stop` : "";
  throw new Exit(exitCodes.runFailed, `${stateText(run.state)}  ${run.id}  ${why}${next}`);
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
