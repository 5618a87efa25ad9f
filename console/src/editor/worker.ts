import {
  addStep,
  brokenReads,
  briefJson,
  callWordsAt,
  CannotEdit,
  compile,
  complete,
  completeFile,
  completeTemplate,
  copyStep,
  duplicateStep,
  evaluateToJson,
  ExpressionError,
  isObject,
  linesOf,
  moveStep,
  own,
  nextPlace,
  pasteSteps,
  placeOf,
  parseJson,
  parseTemplate,
  printJson,
  readInstead,
  readWorkflow,
  removeField,
  removeStep,
  rename,
  renameKey,
  renderTemplate,
  replaceField,
  samplesOf,
  setInOrder,
  unfold,
  unfoldTemplate,
  unwrapStep,
  withShown,
  valueOfText,
  wrapStep,
  type BrokenRead,
  type Catalogue,
  type Completions,
  type Edited,
  type Json,
  type JsonObject,
  type Operation,
  type Problem,
  type ReadWorkflow,
  type ValueMap,
} from "@copper-kettle/core";
import { catalogueOf } from "../logic/catalogue.js";
import { completeInFile, scopeAtLine } from "../logic/expression-completion.js";
import { mergedScope, withConstants } from "./merged-scope.js";
import { lazyCatalogue } from "../logic/known.js";
import type { Action, Answer, Asked, Completed, Outlined, Question, What, Worked } from "./messages.js";

/** Reads, checks, completes and edits workflow texts beside the page, so that no key waits for it. */

let last: { text: string; catalogue: Catalogue; read: ReadWorkflow } | undefined;

async function readAnew(text: string): Promise<NonNullable<typeof last>> {
  if (last?.text === text) return last;
  const catalogue = await catalogueOf(text);
  last = { text, catalogue, read: readWorkflow(text, catalogue) };
  return last;
}

function outline({ text }: { text: string }): Outlined {
  const value = valueIn(text);
  return { text, lines: linesOf(text), value: value === undefined ? undefined : sendable(value) };
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

function edit({ text, action }: { text: string; action: Action }): Edited {
  const only = (made: string, path = "path" in action ? action.path : []): Edited => ({
    text: made,
    path,
    notes: [],
  });
  switch (action.do) {
    case "set":
      return only(setInOrder(text, action.path, action.value));
    case "unset":
      return only(removeField(text, action.path));
    case "rename-key":
      return only(renameKey(text, action.path, action.key), [...action.path.slice(0, -1), action.key]);
    case "replace":
      return only(replaceField(text, action.path, action.key, action.value));
    case "add":
      return addStep(text, action.place, action.step);
    case "paste":
      return pasteSteps(text, action.place, action.text);
    case "remove":
      return removeStep(text, action.path);
    case "move":
      return moveStep(text, action.path, action.place);
    case "shift": {
      const place = nextPlace(text, action.path, action.by);
      return place ? moveStep(text, action.path, place) : only(text);
    }
    case "duplicate":
      return duplicateStep(text, action.path);
    case "wrap":
      return wrapStep(text, action.path, action.wrapper);
    case "unwrap":
      return unwrapStep(text, action.path);
    case "read-instead":
      return only(readInstead(text, action.path, action.from, action.to));
    case "rename": {
      const made = rename(text, "step", action.from, action.to);
      return only(made, placeOf(made, action.to));
    }
  }
}

/** Edits of one place: the steps stay where they are, and what they read in vain stays as it was. */
const inPlace: ReadonlySet<Action["do"]> = new Set([
  "set",
  "unset",
  "rename-key",
  "replace",
  "rename",
  "read-instead",
]);
function broken({ text, action }: { text: string; action: Action }): BrokenRead[] {
  try {
    return brokenReads(text, edit({ text, action }).text);
  } catch (error) {
    if (error instanceof CannotEdit) return [];
    throw error;
  }
}
function edited(asked: Asked["edit"]["ask"]): Asked["edit"]["answer"] {
  const made = edit(asked);
  return inPlace.has(asked.action.do) ? made : { ...made, broken: brokenReads(asked.text, made.text) };
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
  const from = text.lastIndexOf("\n", at - 1) + 1;
  const end = text.indexOf("\n", at);
  const line = text.slice(from, end < 0 ? text.length : end);
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
  return { names, samples: sendable(samples) as JsonObject, words };
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
  return { locals: sendable(locals) as JsonObject, sizes };
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
  edit: edited,
  broken,
  copy: ({ text, path }) => copyStep(text, path),
  completeText,
  completeField,
  scope,
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
