import {
  briefJson,
  callAt,
  callMessage,
  callWordsAt,
  CannotEdit,
  compile,
  complete,
  completeFile,
  completeTemplate,
  copyStep,
  evaluateToJson,
  ExpressionError,
  isObject,
  lineEnd,
  linesOf,
  lineStart,
  own,
  parseJson,
  parseTemplate,
  printJson,
  readWorkflow,
  readyCall,
  renderTemplate,
  samplesOf,
  targetOf,
  unfold,
  unfoldTemplate,
  withShown,
  valueOfText,
  type CallMessage,
  type Catalogue,
  type Completions,
  type Json,
  type JsonObject,
  type Operation,
  type Problem,
  type ReadWorkflow,
  type ValueMap,
} from "@copper-kettle/core";
import { catalogueOf, describedApi } from "../logic/catalogue.js";
import { completeInFile, scopeAtLine } from "../logic/expression-completion.js";
import { broken, edited } from "./edits.js";
import { mergedScope, withConstants } from "./merged-scope.js";
import { lazyCatalogue } from "../logic/known.js";
import type { Answer, Asked, Completed, Question, What, Worked } from "./messages.js";

/** Reads, checks, completes and edits workflow texts beside the page, so that no key waits for it. */

let last: { text: string; catalogue: Catalogue; read: ReadWorkflow } | undefined;

async function readAnew(text: string): Promise<NonNullable<typeof last>> {
  if (last?.text === text) return last;
  const catalogue = await catalogueOf(text);
  last = { text, catalogue, read: readWorkflow(text, catalogue) };
  return last;
}

/** As text: the page reads that faster than it takes hundreds of objects over. */
const outline = ({ text }: { text: string }): string =>
  printJson({ lines: linesOf(text), value: valueIn(text) } as unknown as Json);
/** What the last edit gave. */
let editedText = "";
function edit(asked: Asked["edit"]["ask"]): Asked["edit"]["answer"] {
  const made = edited(asked);
  editedText = made.text;
  return { ...made, outlined: outline(made) };
}
async function check({ text }: { text: string }): Promise<Problem[]> {
  return (await readAnew(text)).read.problems;
}
function valueIn(text: string): Json | undefined {
  try {
    return valueOfText(text);
  } catch (error) {
    if (error instanceof CannotEdit) return undefined;
    throw error;
  }
}

async function completeText({ text, at }: { text: string; at: number }): Promise<Completed> {
  const catalogue = await catalogueOf(text);
  const named = lazyCatalogue();
  await named.load();
  const operation = (name: string): Operation | undefined => {
    const [api = "", ...id] = name.split(".");
    return catalogue.operations(api)?.find((one) => one.id === id.join("."));
  };
  const words = completeFile(text, at, { ...named.catalogue.value, operation });
  if (words.options.length > 0)
    return { from: words.from, options: words.options.map((option) => ({ ...option, kind: "word" })) };
  const from = lineStart(text, at);
  const line = text.slice(from, lineEnd(text, at));
  const number = text.slice(0, at).split("\n").length;
  const scope = scopeAtLine(text, number, catalogue);
  const found = completeInFile(line, at - from, scope);
  return { from: found.from + from, options: found.options };
}

async function completeField({
  text,
  line,
  kind,
  code,
  at,
}: Asked["completeField"]["ask"]): Promise<Completed> {
  const shown = scopeFor(undefined);
  // Of a response that no document describes the run tells the fields.
  const scope = withShown((await readAnew(text)).read.scopeAt(line), shown as JsonObject);
  const found = kind === "expression" ? complete(code, at, scope) : completeTemplate(code, at, scope);
  return { from: found.from, options: withValues(found, shown) };
}
/** Fields with what they hold in the chosen run. */
function withValues({ of, options }: Completions, shown: ValueMap): Completed["options"] {
  if (of === undefined) return options;
  let whole: Json | undefined;
  try {
    whole = evaluateToJson(compile(of), shown, surroundings);
  } catch (error) {
    if (error instanceof ExpressionError) return options;
    throw error;
  }
  if (whole === undefined || !isObject(whole)) return options;
  return options.map((option) => {
    const value = option.kind === "field" ? own(whole, option.text) : undefined;
    if (value === undefined) return option;
    return { ...option, detail: [option.detail, briefJson(value, 40)].filter(Boolean).join(" · ") };
  });
}

let samples: JsonObject = {};
async function scope({ text, line }: { text: string; line: number }): Promise<Asked["scope"]["answer"]> {
  const { read, catalogue } = await readAnew(text);
  const known = read.scopeAt(line);
  const names: string[] = [];
  for (const [name, shape] of known) {
    names.push(name);
    if (name === "steps") for (const step of shape.fields?.names() ?? []) names.push(`steps.${step}`);
  }
  samples = samplesOf(known, valueIn(text), catalogue);
  const words = callWordsAt(
    read.partial?.steps ?? [],
    line,
    (api, id) => catalogue.operations(api)?.find((operation) => operation.id === id)?.effect,
  );
  return { names, samples: printJson(samples), words };
}

async function message({ text, line }: Asked["message"]["ask"]): Promise<CallMessage | null> {
  const { read } = await readAnew(text);
  const step = callAt(read.partial?.steps ?? [], line);
  if (!step) return null;
  const { operation: called } = step;
  const api = called && (await describedApi(called.api));
  const operation = api?.operations.find(({ id }) => id === called?.id);
  const target = api && operation && targetOf(api.document, api, operation);
  if (called && !target) return null;
  return callMessage(readyCall(step, target), scopeFor(undefined), surroundings);
}

let values: JsonObject = {};
function takeValues({ json, constants }: Asked["values"]["ask"]): null {
  values = withConstants(parseJson(constants) as JsonObject, parseJson(json) as JsonObject);
  return null;
}

function search({ text }: { text: string }): string[] {
  const steps = mergedScope(samples, values)["steps"] ?? null;
  return isObject(steps) ? Object.keys(steps).filter((name) => holds(own(steps, name) as Json, text)) : [];
}
/** Whether a text is in the keys or the values of a value, as JSON writes them. */
function holds(value: Json, text: string): boolean {
  if (Array.isArray(value)) return value.some((item) => holds(item, text));
  if (isObject(value))
    return Object.entries(value).some(
      ([key, inner]) => key.toLowerCase().includes(text) || holds(inner, text),
    );
  return (typeof value === "string" ? value : printJson(value)).toLowerCase().includes(text);
}
/** Some values, in a form that can be sent to the page: numbers that a double does not hold lose digits there. */
const sendable = (value: Json | undefined): Json => JSON.parse(printJson(value ?? null)) as Json;

const surroundings = { now: () => Date.now(), uuid: () => crypto.randomUUID() };

/** What the loops around the chosen line give to the expressions in them. */
let locals: JsonObject = {};
function loops({ loops: around }: Asked["loops"]["ask"]): Asked["loops"]["answer"] {
  locals = {};
  const sizes = around.map(({ each, as, item }) => {
    const list = listOf(each);
    if (!list) return undefined;
    const index = Math.min(item, list.length - 1);
    locals = { ...locals, [as]: list[index] ?? null, index };
    return list.length;
  });
  return { locals: printJson(locals), sizes };
}
/** A list by its expression; undefined where the values give none. */
function listOf(each: string): Json[] | undefined {
  try {
    const found = evaluateToJson(
      compile(each),
      { ...mergedScope(samples, values), ...locals } as ValueMap,
      surroundings,
    );
    return Array.isArray(found) ? found : undefined;
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return undefined;
  }
}

/** A value whose texts are templates. */
function rendered(value: Json, scope: ValueMap): Json {
  if (typeof value === "string")
    return value.includes("${") ? (renderTemplate(parseTemplate(value), scope, surroundings) ?? null) : value;
  if (Array.isArray(value)) return value.map((item) => rendered(item, scope));
  if (!isObject(value)) return value;
  return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, rendered(inner, scope)]));
}

/** What can be read where the chosen line is; of a response also its status, headers and body. */
function scopeFor(response: string | undefined): ValueMap {
  const all = mergedScope(samples, values);
  const steps = all["steps"] ?? null;
  const outcome = response === undefined || !isObject(steps) ? undefined : own(steps, response);
  return {
    ...all,
    ...locals,
    ...(isObject(outcome ?? null) ? (outcome as JsonObject) : {}),
  } as ValueMap;
}

function work({ code, kind, response, field }: Asked["work"]["ask"]): Worked {
  const scope = scopeFor(response);
  // By the text that was checked last: for the place of a field it does not matter that it is typed in.
  const findings = (field === undefined ? undefined : last?.read.judge(field, code)) ?? [];
  let isRead = false;
  try {
    if (kind === "value") return { value: sendable(rendered(parseJson(code), scope)) };
    const ready = kind === "template" ? parseTemplate(code) : compile(code);
    isRead = true;
    const value =
      "parts" in ready
        ? renderTemplate(ready, scope, surroundings)
        : evaluateToJson(ready, scope, surroundings);
    return { shown: briefJson(value ?? null), findings };
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    const { message, start, end } = error;
    if (isRead) return { fault: message, findings };
    return { fault: message, findings: [{ severity: "error", code: "expression", message, start, end }] };
  }
}

function unfolded({ code, kind, response }: Asked["unfold"]["ask"]): Asked["unfold"]["answer"] {
  const scope = scopeFor(response);
  try {
    const parts =
      kind === "template" ? unfoldTemplate(code, scope, surroundings) : unfold(code, scope, surroundings);
    return parts.map(({ value, ...part }) => ({
      ...part,
      ...(value === undefined ? {} : { shown: briefJson(value, 200) }),
    }));
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return error.message;
  }
}

const answers: { [W in What]: (ask: Asked[W]["ask"]) => Asked[W]["answer"] | Promise<Asked[W]["answer"]> } = {
  outline,
  check,
  checkEdited: () => check({ text: editedText }),
  edit,
  broken,
  copy: ({ text, path }) => copyStep(text, path),
  completeText,
  completeField,
  scope,
  message,
  values: takeValues,
  search,
  loops,
  work,
  unfold: unfolded,
};

addEventListener("message", async ({ data }: MessageEvent<Question>) => {
  const { id, what, ask } = data;
  let answer: Answer;
  try {
    answer = { id, answer: await (answers[what] as (ask: unknown) => unknown)(ask) };
  } catch (error) {
    answer = { id, fault: (error as Error).message };
  }
  postMessage(answer);
});
