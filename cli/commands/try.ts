import {
  operationsRoutes,
  triesRoutes,
  type BodyOf,
  type Client,
  type OperationDetail,
  type TryResult,
} from "@copper-kettle/contract";
import {
  defaultEffect,
  isObject,
  parseJson,
  printJson,
  statusText,
  type Json,
  type JsonObject,
} from "@copper-kettle/core";
import type { Command } from "commander";
import { readFileSync } from "node:fs";
import { basename } from "node:path";
import colors from "../colors.js";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { say, show } from "../output.js";
import { keepSample } from "./keep-sample.js";
import { shapeOption } from "./options.js";
import { readText } from "../read-text.js";

type Given = BodyOf<typeof triesRoutes.tryOperation>;

interface TryOptions {
  parameter: string[];
  header: string[];
  method?: string;
  using?: string;
  body?: string;
  form: string[];
  multipart: string[];
  pasted?: string;
  curl?: boolean;
  yes?: boolean;
  saveSample?: string;
  shape: "open" | "replace" | "leave";
}

const repeated = (value: string, before: string[]): string[] => [...before, value];

export function addTry(program: Command): void {
  program
    .command("try")
    .description(
      "send an operation, an address or a pasted request for real, and show what comes back; exit code 1 if it is not a success",
    )
    .argument("[target]", "an operation such as stays.searchGuests, or an address")
    .option("-p, --parameter <name=value>", "a parameter; can be repeated, also for lists", repeated, [])
    .option("-H, --header <name=value>", "a header; repeat it for more", repeated, [])
    .option("--method <method>", "the method, for an address; default: GET")
    .option("--using <credential>", "the credential; default: the one of the API")
    .option(
      "--body <text>",
      "the body: JSON, or text where the operation wants it; @FILE reads a file, - standard input",
    )
    .option("--form <name=value>", "a field of a form; repeat it for more", repeated, [])
    .option("--multipart <name=value>", "a field of a multipart form; name=@FILE sends a file", repeated, [])
    .option(
      "--pasted <file>",
      "a pasted curl command, raw request, HAR entry or fetch(…) to send as it is; - for standard input",
    )
    .option("--curl", "also print the curl command that does the same; secrets are placeholders")
    .option("--yes", "send a call that writes without asking")
    .option(
      "--save-sample <name>",
      "save the response as a sample, and its schema in the document if that has none yet",
    )
    .addOption(shapeOption())
    .action(async (target: string | undefined, options: TryOptions, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const { given, writes } = await givenOf(client, target, options);
      if (writes && !options.yes) await askFirst(writes);
      const result = await client.call(triesRoutes.tryOperation, { body: given });
      const { sent } = result;
      say(colors.dim(`${sent.method} ${sent.url}`));
      for (const url of result.redirects) say(colors.dim(`  redirected from ${url}`));
      say(answerLine(result));
      show(globals, result, () => bodyText(result));
      if (options.curl) say(`\n${result.curl}`);
      for (const { path, detail } of result.drift)
        say(colors.yellow(`  does not match its schema at ${path || "the body"}: ${detail}`));
      if (options.saveSample && given.operation && result.status !== null)
        await keepSample(client, given.operation, options.saveSample, { try: result.id }, options.shape);
      if (result.explanation) say(result.explanation);
      if (result.status === null || result.status >= 400) throw new Exit(exitCodes.runFailed);
    });
}

async function givenOf(
  client: Client,
  target: string | undefined,
  options: TryOptions,
): Promise<{ given: Given; writes: string | undefined }> {
  const using = options.using ? { using: options.using } : {};
  if (options.pasted !== undefined) {
    const pasted = readText(options.pasted);
    const { method, server, path, effect } = await client.call(triesRoutes.readPasted, {
      body: { text: pasted },
    });
    return {
      given: { pasted, ...using },
      writes: effect === "reads" ? undefined : `${method} ${server}${path}`,
    };
  }
  if (target === undefined)
    throw new Exit(exitCodes.wrongUse, "Name an operation or an address, or give --pasted.");
  const headers = Object.fromEntries(options.header.map(headerOf));
  if (/^https?:\/\//i.test(target)) {
    const method = (options.method ?? "GET").toUpperCase();
    const body = bodyOf(options, undefined);
    const given = {
      method,
      url: target,
      ...(Object.keys(headers).length > 0 ? { headers } : {}),
      ...body,
      ...using,
    };
    return { given, writes: defaultEffect(method) === "reads" ? undefined : `${method} ${target}` };
  }
  const [name = "", ...rest] = target.split(".");
  const operation = await client.call(operationsRoutes.operation, { params: { name, id: rest.join(".") } });
  return {
    given: {
      operation: target,
      parameters: parametersOf(options.parameter, operation),
      ...(Object.keys(headers).length > 0 ? { headers } : {}),
      ...bodyOf(options, operation),
      ...using,
    },
    writes: operation.effect === "reads" ? undefined : `${operation.method} ${operation.path}`,
  };
}

async function askFirst(call: string): Promise<void> {
  const question = `${call} changes something in the API.`;
  if (!process.stdin.isTTY || !process.stderr.isTTY)
    throw new Exit(exitCodes.wrongUse, `${question} Send with --yes.`);
  const { confirm } = await import("@inquirer/prompts");
  if (!(await confirm({ message: `${question} Send?`, default: false }, { output: process.stderr })))
    throw new Exit(exitCodes.wrongUse, "Nothing was sent.");
}

function pairs(list: string[]): Record<string, string> {
  return Object.fromEntries(list.map((text) => pair(text)));
}

/** A header as it is given: `name=value`, or `Name: value` as curl takes it. */
function headerOf(text: string): [string, string] {
  const match = /^([!#$%&'*+\-.^_`|~0-9A-Za-z]+)\s*[:=]\s*([\s\S]*)$/.exec(text);
  if (!match)
    throw new Exit(exitCodes.wrongUse, `--header takes "Name: value" or name=value, and not "${text}".`);
  return [match[1] as string, match[2] as string];
}

function pair(text: string): [string, string] {
  const at = text.indexOf("=");
  if (at < 1) throw new Exit(exitCodes.wrongUse, `--parameter takes name=value, and not "${text}".`);
  return [text.slice(0, at), text.slice(at + 1)];
}

/** Parameters by name, of the kind that the document says: lists where one repeats or is one. */
function parametersOf(list: string[], { parameters }: OperationDetail): JsonObject {
  const given: JsonObject = {};
  for (const [name, text] of list.map((one) => pair(one))) {
    const type = parameters.find((one) => one.name === name)?.schema["type"];
    const types = [type ?? []].flat();
    const value: Json =
      /^\s*[[{]/.test(text) && (types.includes("array") || types.includes("object"))
        ? parsed(text, name)
        : text;
    const before = given[name];
    if (before !== undefined) given[name] = [before, value].flat();
    else given[name] = types.includes("array") && !Array.isArray(value) ? [value] : value;
  }
  return given;
}

function parsed(text: string, what: string): Json {
  try {
    return parseJson(text);
  } catch (error) {
    throw new Exit(exitCodes.wrongUse, `${what} is not JSON: ${(error as Error).message}`);
  }
}

function bodyOf(
  { body, form, multipart }: TryOptions,
  operation: OperationDetail | undefined,
): Pick<Given, "body"> {
  if (form.length > 0) return { body: { form: pairs(form) } };
  if (multipart.length > 0)
    return { body: { multipart: Object.fromEntries(multipart.map((text) => fileField(pair(text)))) } };
  if (body === undefined) return {};
  const text = body === "-" ? readText("-") : body.startsWith("@") ? readText(body.slice(1)) : body;
  const types = operation?.body?.content.map(({ type }) => type) ?? [];
  const wants = (pattern: RegExp) => types.length > 0 && types.every((type) => pattern.test(type));
  if (wants(/^text\//)) return { body: { text } };
  if (wants(/[/+]xml$/)) return { body: { xml: text } };
  const value = parsed(text, "The body");
  return wants(/x-www-form-urlencoded/) && isObject(value)
    ? { body: { form: value } }
    : { body: { json: value } };
}

function fileField([name, value]: [string, string]): [string, Json] {
  if (!value.startsWith("@")) return [name, value];
  const path = value.slice(1);
  return [name, { base64: readFileSync(path).toString("base64"), name: basename(path) }];
}

function answerLine({ status, failure, took, size, headers }: TryResult): string {
  if (status === null) return colors.red(`✗ no response: ${failure?.message ?? ""}`);
  const facts = [
    `${took} ms`,
    size === null ? "" : `${size} bytes`,
    String(headers["content-type"] ?? ""),
  ].filter(Boolean);
  const line = `${status < 400 ? "✓" : "✗"} ${status}${statusText(status)}`;
  return `${status < 400 ? colors.green(line) : colors.red(line)}  ${colors.dim(facts.join(", "))}`;
}

function bodyText({ body, text }: TryResult): string {
  if (text !== null) return text;
  if (isObject(body) && typeof body["base64"] === "string")
    return `[${String(body["size"])} bytes of ${String(body["mediaType"])}]`;
  return body === null ? "" : typeof body === "string" ? body : printJson(body, 2);
}
