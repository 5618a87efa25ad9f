import { isObject, type Json } from "../values/json.js";
import { each } from "../expressions/habits.js";
import { parseDuration } from "../values/durations.js";
import type { Path } from "../values/paths.js";

// Keys that people write who come from scripts, pipelines or other files, and what says the same here. Names in small letters,
// without dashes and underscores.

const request = "request: GET https://…";
const body = "body: { json: … }";

const ofSteps: Record<string, string> = {
  ...each(request, "url", "uri", "method", "endpoint", "http", "fetch", "get", "post", "put", "curl", "href"),
  ...each(body, "json", "data", "payload", "content", "formdata", "bodyjson", "requestbody"),
  ...each("query: { name: value }", "params", "qs", "querystring", "queryparams", "search"),
  ...each("parameters: { name: value }", "args", "arguments", "with"),
  ...each("headers: { name: value }", "header"),
  ...each(
    "using: NAME-OF-A-CREDENTIAL",
    "auth",
    "authorization",
    "authentication",
    "credential",
    "credentials",
    "token",
    "apikey",
  ),
  ...each("retry: { times: 3 }", "retries", "attempts", "retrycount", "maxattempts", "maxretries"),
  ...each(
    "catch: [steps], or keep-going: true",
    "onerror",
    "onfailure",
    "continueonerror",
    "ignoreerrors",
    "rescue",
    "except",
    "fallback",
    "finally",
  ),
  ...each("group: [steps], with catch: [steps] beside it", "try", "block", "begin"),
  ...each(
    "cases: [{ if: condition, then: [steps] }]",
    "switch",
    "match",
    "case",
    "choose",
    "branches",
    "elif",
    "elseif",
    "elsif",
  ),
  ...each("else: [steps]", "otherwise", "default"),
  ...each("only-if: condition", "when", "unless", "condition", "guard", "skipif", "runif"),
  ...each(
    "each: list, with steps: [steps] beside it",
    "for",
    "foreach",
    "loop",
    "forin",
    "items",
    "withitems",
    "iterate",
    "map",
    "repeat",
    "while",
  ),
  ...each("steps: [steps]", "do", "tasks", "actions", "substeps"),
  ...each("wait: { for: 5m }", "sleep", "delay", "pause", "timer"),
  ...each("set: { name: value }", "let", "var", "vars", "variables", "assign", "define", "setvariable"),
  ...each("note: text", "log", "print", "echo", "debug", "comment", "message"),
  ...each("respond: { body: value }", "return", "output", "outputs", "result", "reply", "response"),
  ...each(
    "workflow: NAME-OF-A-WORKFLOW",
    "call",
    "run",
    "invoke",
    "subworkflow",
    "uses",
    "execute",
    "trigger",
  ),
  ...each(
    "together: { one: [steps], other: [steps] }",
    "parallel",
    "concurrently",
    "all",
    "fork",
    "simultaneously",
  ),
  ...each("finish: sentence, or fail: sentence", "stop", "exit", "end", "abort", "raise", "throw"),
  ...each("step: NAME", "name", "id", "key"),
  ...each("about: text", "description", "desc", "summary", "doc"),
  ...each(
    "within: 5m, or timeout: { response: 30s } for each attempt",
    "timeoutseconds",
    "timeoutms",
    "deadline",
  ),
  ...each("secret: true", "sensitive", "nolog", "mask"),
};

const inPlaces: Record<string, Record<string, string>> = {
  file: {
    ...each("triggers: { name: { schedule: … } }", "on", "trigger", "schedule", "cron", "events", "webhook"),
    ...each("steps: [steps]", "jobs", "tasks", "actions", "stages", "nodes", "do", "run"),
    ...each("inputs: JSON Schema", "input", "parameters", "params", "args", "arguments"),
    ...each("about: text", "description", "desc", "summary"),
    ...each(
      "the step set: { name: value }, or a constant of the service",
      "env",
      "vars",
      "variables",
      "constants",
    ),
    ...each("name: NAME", "id", "workflow"),
    ...each("limits: { parallel: 1 }", "concurrency", "parallel", "maxparallel"),
    ...each("limits: { within: 10m }", "timeout"),
  },
  retry: {
    ...each("times: 3", "count", "max", "attempts", "maxattempts", "retries", "tries", "limit"),
    ...each("wait: 5s", "delay", "interval", "backoff", "sleep", "initial", "pause"),
    ...each("factor: 2", "multiplier", "exponential", "rate"),
    ...each("most: 5m", "maxdelay", "cap", "maxinterval", "maxwait"),
    ...each("when: status == 404", "on", "if", "statuses", "codes", "retryon"),
  },
  wait: {
    ...each("for: 5m", "seconds", "minutes", "hours", "duration", "time", "delay", "ms"),
    ...each("at: time", "until", "date", "on"),
  },
  cases: {
    ...each("if: condition", "when", "case", "condition", "match", "value"),
    ...each("then: [steps]", "do", "steps", "run", "actions"),
    ...each("else: [steps], beside cases", "default", "otherwise"),
  },
  trigger: {
    ...each('schedule: { cron: "0 6 * * 1" }', "cron", "crontab"),
    ...each("schedule: { every: 5m }", "every", "interval", "timer", "at"),
    ...each("webhook: { verify: … }", "http", "hook", "endpoint", "url", "path"),
    ...each("by-hand: {}", "manual", "button", "form", "byhand"),
    ...each("poll: { request: GET https://…, every: 5m }", "watch", "new", "request", "operation"),
  },
  timeout: each("response: 30s", "total", "seconds", "read", "request", "ms", "overall"),
};

const plain = (key: string): string => key.toLowerCase().replace(/[-_ ]/g, "");

/** Where in a file the object at a path stands: in a step, or in a field of one. */
function placeOf(path: Path): string {
  const last = path.at(-1);
  if (last === undefined) return "file";
  if (path.length === 2 && path[0] === "triggers") return "trigger";
  // The calls of an ensure are written as steps are.
  if (last === "find" || last === "create" || last === "update" || last === "probe") return "step";
  if (typeof last === "string") return last;
  const list = path.at(-2);
  return list === "cases" ? "cases" : "step";
}

/** What is written here for a key that the object at a path does not know; undefined if nobody can tell. */
export function meantByKey(path: Path, key: string): string | undefined {
  const place = placeOf(path);
  if (place === "body") return body;
  const habits = place === "step" ? ofSteps : Object.hasOwn(inPlaces, place) ? inPlaces[place] : undefined;
  const habit = plain(key);
  return habits && Object.hasOwn(habits, habit) ? habits[habit] : undefined;
}

const forms: Record<string, string> = {
  retry: "retry: { times: 3 }",
  timeout: "timeout: { response: 30s }",
  set: "set: { name: value }",
  query: "query: { name: value }",
  headers: "headers: { name: value }",
  parameters: "parameters: { name: value }",
  together: "together: { one: [steps], other: [steps] }",
  respond: "respond: { body: value }",
  body,
  request,
};

/** How a field is written whose value is of another kind than it takes; undefined where that says nothing new. */
export function meantByValue(field: string, value: Json): string | undefined {
  if (field === "wait") {
    const isDuration = typeof value === "string" && parseDuration(value) !== undefined;
    return `wait: { for: ${isDuration ? String(value) : "5m"} }`;
  }
  if (field === "retry" && typeof value === "number") return `retry: { times: ${value} }`;
  if (field === "request" && isObject(value)) {
    const { method, url } = value;
    return typeof url === "string"
      ? `request: ${typeof method === "string" ? method : "GET"} ${url}`
      : request;
  }
  return Object.hasOwn(forms, field) ? forms[field] : undefined;
}
