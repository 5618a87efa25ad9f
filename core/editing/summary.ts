import { isObject, own, printJson, type Json, type JsonObject } from "../values/json.js";
import { requestLine } from "../workflows/document-fields.js";

/** What a step does, in a few words made from its content: `GET stays /guests · stays-key`. */
export function summaryOf(step: JsonObject): string {
  const using = [own(step, "using")].flat().filter((one) => typeof one === "string");
  const withCredential = (text: string): string => [text, ...using].join(" · ");
  const text = (key: string): string => shortly(own(step, key));
  if ("request" in step) return withCredential(requestText(String(own(step, "request"))));
  if ("operation" in step) return withCredential(text("operation"));
  if ("if" in step) return `if ${text("if")}`;
  if ("cases" in step) return `${count(own(step, "cases"), "case")}`;
  if ("each" in step) {
    const as = own(step, "as");
    const parallel = own(step, "parallel");
    return `each ${typeof as === "string" ? as : "item"} in ${text("each")}${typeof parallel === "number" ? ` · ${parallel} in parallel` : ""}`;
  }
  if ("group" in step) return "a group of steps";
  if ("together" in step)
    return `side by side: ${keysOf(own(own(step, "together") as JsonObject, "branches"))}`;
  if ("ensure" in step) return ensureText(own(step, "ensure"));
  if ("workflow" in step) return `runs ${shortly(inner(step, "workflow", "name"))}`;
  if ("remember" in step) return `remembers ${shortly(inner(step, "remember", "key"))}`;
  if ("set" in step) return `sets ${keysOf(own(step, "set"))}`;
  if ("wait" in step) {
    const until = inner(step, "wait", "at");
    return until === undefined
      ? `waits ${shortly(inner(step, "wait", "for"))}`
      : `waits until ${shortly(until)}`;
  }
  if ("respond" in step) return respondText(own(step, "respond"));
  if ("finish" in step) return `finishes: ${text("finish")}`;
  if ("fail" in step) return `fails: ${text("fail")}`;
  if ("note" in step) return text("note");
  return "";
}

/** `GET https://stays.example/guests` as `GET stays.example/guests`; a constant by its name. */
export function requestText(whole: string): string {
  const line = whole.slice(0, longestShown);
  const [, method, url = ""] = requestLine.exec(line) ?? [];
  if (method === undefined) return line;
  const short = url
    .replace(/^https?:\/\//, "")
    .replace(/^\$\{\s*constants\.(\w+)\s*\}/, "$1 ")
    .replace(/\$\{\s*([^}]*?)\s*\}/g, (_all, code: string) => `{${code.replace(/^.*\.(?=\w+$)/, "")}}`);
  return `${method} ${short}`;
}

/** So much of a request is looked at. */
const longestShown = 300;

/** What a trigger is, in a few words. */
export function triggerSummary(trigger: JsonObject, inputs: readonly string[]): string {
  if ("by-hand" in trigger)
    return inputs.length === 0 ? "by hand" : `by hand · asks for ${inputs.join(", ")}`;
  if ("schedule" in trigger) {
    const every = inner(trigger, "schedule", "every");
    const cron = inner(trigger, "schedule", "cron");
    const zone = inner(trigger, "schedule", "zone");
    const when = every === undefined ? `by the clock ${shortly(cron)}` : `every ${shortly(every)}`;
    return zone === undefined ? when : `${when} (${shortly(zone)})`;
  }
  if ("webhook" in trigger) return `webhook /webhooks/${shortly(inner(trigger, "webhook", "path"))}`;
  if ("poll" in trigger) {
    const poll = own(trigger, "poll") as JsonObject;
    const call = own(poll, "operation") ?? requestText(String(own(poll, "request") ?? ""));
    return `asks ${shortly(call)} every ${shortly(own(poll, "every"))}`;
  }
  return "";
}

const inner = (step: JsonObject, key: string, field: string): Json | undefined => {
  const object = own(step, key);
  return isObject(object) ? own(object, field) : undefined;
};

function shortly(value: Json | undefined): string {
  if (value === undefined || value === null) return "…";
  const text = typeof value === "string" ? value : printJson(value);
  return text.length > 120 ? `${text.slice(0, 117)}…` : text;
}

const keysOf = (value: Json | undefined): string => (isObject(value) ? Object.keys(value).join(", ") : "…");

function count(list: Json | undefined, word: string): string {
  const size = Array.isArray(list) ? list.length : 0;
  return `${size} ${word}${size === 1 ? "" : "s"}`;
}

function ensureText(ensure: Json | undefined): string {
  const find = isObject(ensure) ? own(ensure, "find") : undefined;
  const call = isObject(find) ? (own(find, "operation") ?? own(find, "request")) : undefined;
  return `ensures what ${call === undefined ? "…" : requestText(shortly(call))} finds`;
}

function respondText(respond: Json | undefined): string {
  if (!isObject(respond)) return "responds";
  const body = own(respond, "body");
  const what = isObject(body)
    ? `{ ${Object.keys(body).join(", ")} }`
    : body === undefined
      ? ""
      : shortly(body);
  return `responds ${shortly(own(respond, "status") ?? 200)} ${what}`.trimEnd();
}
