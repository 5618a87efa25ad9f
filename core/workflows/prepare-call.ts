import { checkOperation } from "./check-operation.js";
import { operationName } from "../apis/catalogue.js";
import { isMethod, knownEffect, knownMethods, type Effect } from "../http/effect.js";
import type { BodyReading } from "../http/read-body.js";
import type { PagePlace } from "../http/pages.js";
import { defaultRetry } from "../http/retry.js";
import { isObject, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import { requestLine } from "./document-fields.js";
import type { Preparer } from "./prepare.js";
import { joined, optional, values } from "./prepare-values.js";
import type { CallStep, Idempotency, Pages, StepBase, Until } from "./steps.js";

/** What only `success` and `retry` see: how an attempt came out. */
export const resultNames = ["status", "headers", "body", "failure", "repeated"];

export function prepareRequest(
  preparer: Preparer,
  raw: JsonObject,
  path: Path,
  base: StepBase,
): CallStep | undefined {
  const line = requestLine.exec(raw["request"] as string);
  const method = line?.[1] ?? "";
  const inCapitals = method.toUpperCase();
  if (!line || !isMethod(method) || (method !== inCapitals && knownEffect(inCapitals) !== undefined)) {
    preparer.source.report([...path, "request"], "wrong-value", requestHint(raw["request"] as string));
    return undefined;
  }
  const effect = (raw["effect"] as Effect | undefined) ?? knownEffect(method);
  if (effect === undefined)
    preparer.source.reportKey(
      path,
      "request",
      "wrong-value",
      `Say what ${method} does, as "effect": reads, writes or repeatable. Known without it are ${knownMethods.join(", ")}.`,
    );
  // The whole line is parsed, so that a fault is placed in the text as it was written; the method is cut off after.
  const whole = preparer.template(raw["request"], [...path, "request"]);
  if (!whole) return undefined;
  if (raw["pages"] === "all")
    preparer.source.reportKey(
      path,
      "pages",
      "wrong-value",
      '"pages: all" is for an operation, whose document says how its pages go on. Say it here, such as pages: { by: page, items: body.items }.',
    );
  const [first, ...rest] = whole.parts;
  const url =
    first && "text" in first ? [{ text: first.text.slice(method.length + 1).trimStart() }, ...rest] : rest;
  const target = {
    kind: "request" as const,
    method,
    url: {
      source: whole.source,
      parts: url.filter((part) => !("text" in part) || part.text !== ""),
      alone: undefined,
    },
    effect: effect ?? "writes",
  };
  const using = usingOf(preparer, raw, path);
  const written = values(preparer, raw, path, ["query", "headers", "cookies"]);
  return joined(base, target, using, written, sendingOf(preparer, raw, path));
}

export function prepareOperation(
  preparer: Preparer,
  raw: JsonObject,
  path: Path,
  base: StepBase,
): CallStep | undefined {
  const text = raw["operation"] as string;
  const operation = operationName(text);
  if (!operation) {
    preparer.source.report(
      [...path, "operation"],
      "wrong-value",
      `An operation is the name of an API, a dot and the operation's id, such as stays.searchGuests. This is "${text}".`,
    );
    return undefined;
  }
  const { catalogue, source } = preparer;
  if (catalogue) checkOperation({ catalogue, source }, operation, raw, path);
  const target = {
    kind: "request" as const,
    method: "",
    url: { source: text, parts: [], alone: undefined },
    operation,
    ...optional("effect", raw["effect"] as Effect | undefined),
    ...(raw["strict"] === true ? { strict: true } : {}),
  };
  const using = usingOf(preparer, raw, path);
  const written = values(preparer, raw, path, ["parameters", "query", "headers"]);
  return joined(base, target, using, written, sendingOf(preparer, raw, path));
}

/** The credentials of a call: one, or a list. */
function usingOf(preparer: Preparer, raw: JsonObject, path: Path): Pick<CallStep, "using"> {
  if (raw["using"] === undefined) return {};
  const using = [raw["using"]].flat().map(String);
  const twice = using.find((name, at) => using.indexOf(name) !== at);
  if (twice !== undefined)
    preparer.source.reportKey(path, "using", "wrong-value", `The credential ${twice} is named twice.`);
  return { using };
}

/** What every call says of its body and of how it is sent. */
function sendingOf(
  preparer: Preparer,
  raw: JsonObject,
  path: Path,
): Omit<CallStep, keyof StepBase | "kind" | "method" | "url"> {
  const timeout = isObject(raw["timeout"]) ? raw["timeout"] : {};
  return {
    ...optional("body", bodyOf(preparer, raw["body"], [...path, "body"])),
    timeout: {
      connect: preparer.duration(timeout["connect"], [...path, "timeout", "connect"]) ?? 10_000,
      response: preparer.duration(timeout["response"], [...path, "timeout", "response"]) ?? 60_000,
    },
    redirects: (raw["redirects"] as CallStep["redirects"] | undefined) ?? "follow",
    ...conditionsOf(preparer, raw, path),
    ...optional("success", preparer.expression(raw["success"], [...path, "success"], resultNames)),
    retry: retryOf(preparer, raw["retry"], [...path, "retry"]),
    ...optional("read", raw["read"] as BodyReading | undefined),
    ...optional("stopWhen", stopWhenOf(preparer, raw, path)),
    ...optional("idempotency", idempotencyOf(preparer, raw["idempotency"], [...path, "idempotency"])),
    ifUnsure: ifUnsureOf(preparer, raw, path),
    ...optional("probe", probeOf(preparer, raw["probe"], [...path, "probe"])),
    ...optional("pages", pagesOf(preparer, raw, [...path, "pages"])),
    ...optional("until", untilOf(preparer, raw["until"], [...path, "until"])),
    whenLimited: raw["when-limited"] === "skip" ? "skip" : "wait",
  };
}

/** A call inside a step of another type, by the name that it has in paths. */
export function innerCall(
  preparer: Preparer,
  raw: Json | undefined,
  path: Path,
  name: string,
): CallStep | undefined {
  if (!isObject(raw)) return undefined;
  const both = raw["request"] !== undefined && raw["operation"] !== undefined;
  if (both || (raw["request"] === undefined && raw["operation"] === undefined)) {
    preparer.source.report(
      path,
      "wrong-value",
      'A call has either "operation", such as stays.searchGuests, or "request", such as GET https://stays.example/guests.',
    );
    return undefined;
  }
  const base: StepBase = { name, line: preparer.source.line(path), reads: [] };
  return raw["operation"] === undefined
    ? prepareRequest(preparer, raw, path, base)
    : prepareOperation(preparer, raw, path, base);
}

function idempotencyOf(preparer: Preparer, raw: Json | undefined, path: Path): Idempotency | undefined {
  if (raw === undefined) return undefined;
  const given = isObject(raw) ? raw : {};
  const key = given["key"] === "auto" ? undefined : given["key"];
  return {
    in: (given["in"] as Idempotency["in"] | undefined) ?? "header",
    name: typeof given["name"] === "string" ? given["name"] : "Idempotency-Key",
    ...optional("key", preparer.template(key, [...path, "key"])),
  };
}

function ifUnsureOf(preparer: Preparer, raw: JsonObject, path: Path): CallStep["ifUnsure"] {
  const given = raw["if-unsure"] as CallStep["ifUnsure"] | undefined;
  if (given === "probe" && raw["probe"] === undefined)
    preparer.source.reportKey(
      path,
      "if-unsure",
      "wrong-value",
      '"if-unsure: probe" needs a "probe": a call that looks whether this one arrived.',
    );
  return given ?? (raw["probe"] === undefined ? "ask" : "probe");
}

function probeOf(preparer: Preparer, raw: Json | undefined, path: Path): CallStep["probe"] {
  if (!isObject(raw)) return undefined;
  const call = innerCall(preparer, raw, path, "probe");
  const happened = preparer.expression(raw["happened"], [...path, "happened"], resultNames);
  const outcome = preparer.expression(raw["outcome"], [...path, "outcome"], resultNames);
  return call && happened && { call, happened, ...optional("outcome", outcome) };
}

/** What the call depends on of what an earlier step read. */
function conditionsOf(preparer: Preparer, raw: JsonObject, path: Path): Pick<CallStep, "conditions"> {
  const ifMatch = preparer.expression(raw["if-match"], [...path, "if-match"]);
  const ifNoneMatch = preparer.expression(raw["if-none-match"], [...path, "if-none-match"]);
  if (!ifMatch && !ifNoneMatch) return {};
  return { conditions: { ...optional("ifMatch", ifMatch), ...optional("ifNoneMatch", ifNoneMatch) } };
}

function stopWhenOf(preparer: Preparer, raw: JsonObject, path: Path): CallStep["stopWhen"] {
  if (raw["stop-when"] !== undefined && raw["read"] !== "events" && raw["read"] !== "json-lines")
    preparer.source.reportKey(
      path,
      "stop-when",
      "wrong-value",
      '"stop-when" ends the reading of a list: it needs "read: events" or "read: json-lines".',
    );
  return preparer.expression(raw["stop-when"], [...path, "stop-when"], ["event"]);
}

function pagesOf(preparer: Preparer, call: JsonObject, path: Path): CallStep["pages"] {
  const raw = call["pages"];
  if (raw === "all") return raw;
  if (!isObject(raw)) return undefined;
  const by = raw["by"] as Pages["by"];
  if (by === "cursor" && raw["next"] === undefined)
    preparer.source.report(
      path,
      "wrong-value",
      'Pages by cursor need "next": where the response says the next cursor, such as body.next.',
    );
  if ((by === "page" || by === "offset") && raw["next"] !== undefined)
    preparer.source.reportKey(
      path,
      "next",
      "wrong-value",
      `Pages by ${by} are counted; "next" is for cursor and link.`,
    );
  const place = (raw["in"] as PagePlace | undefined) ?? "query";
  if (raw["in"] !== undefined && by === "link")
    preparer.source.reportKey(
      path,
      "in",
      "wrong-value",
      'Pages by link have an address each; "in" is for the others.',
    );
  if (place === "body" && !(isObject(call["body"]) && call["body"]["json"] !== undefined))
    preparer.source.reportKey(
      path,
      "in",
      "wrong-value",
      '"in: body" sets a field of a JSON body, but this call has none. Give it one, such as body: { json: {} }.',
    );
  const number = (key: string) => (typeof raw[key] === "number" ? raw[key] : undefined);
  return {
    by,
    in: place,
    param: typeof raw["param"] === "string" ? raw["param"] : by,
    ...optional("items", preparer.expression(raw["items"], [...path, "items"], resultNames)),
    ...optional("next", preparer.expression(raw["next"], [...path, "next"], resultNames)),
    ...optional("size", number("size")),
    ...optional("most", number("most")),
  };
}

function untilOf(preparer: Preparer, raw: Json | undefined, path: Path): Until | undefined {
  if (!isObject(raw)) return undefined;
  const done = preparer.expression(raw["done"], [...path, "done"], resultNames);
  const url = preparer.template(raw["url"], [...path, "url"], resultNames);
  return (
    done && {
      done,
      ...optional("collect", preparer.expression(raw["collect"], [...path, "collect"], resultNames)),
      every: preparer.duration(raw["every"], [...path, "every"]) ?? 5_000,
      within: preparer.duration(raw["within"], [...path, "within"]) ?? 3_600_000,
      ...optional("url", url),
    }
  );
}

const bodyKinds = ["json", "json-lines", "form", "multipart", "text", "xml", "graphql", "file"] as const;

function bodyOf(preparer: Preparer, raw: Json | undefined, path: Path): CallStep["body"] {
  if (!isObject(raw)) return undefined;
  const given = bodyKinds.filter((kind) => raw[kind] !== undefined);
  const [kind, second] = given;
  if (second)
    preparer.source.reportKey(
      path,
      second,
      "wrong-value",
      `A body has one kind, but this one has ${given.join(" and ")}.`,
    );
  if (!kind) {
    preparer.source.report(path, "wrong-value", `A body needs one of: ${bodyKinds.join(", ")}.`);
    return undefined;
  }
  return { kind, value: preparer.value(raw[kind] as Json, [...path, kind]) };
}

function requestHint(text: string): string {
  const form = "A request is a method and a URL, such as: GET https://stays.example/guests";
  const [first = "", rest] = text.trim().split(/\s+/, 2);
  if (first === "CONNECT") return "CONNECT asks a proxy for a tunnel, and cannot be called.";
  if (knownMethods.includes(first.toUpperCase()) && first !== first.toUpperCase())
    return `The method is written in capitals: ${first.toUpperCase()} ${rest ?? "…"}`;
  if (/^https?:\/\//i.test(text)) return `The method is missing in front of the URL: GET ${text}`;
  return `${form}. This is "${text}".`;
}

function retryOf(preparer: Preparer, raw: Json | undefined, path: Path): CallStep["retry"] {
  if (!isObject(raw)) return defaultRetry;
  const duration = (key: string) => preparer.duration(raw[key], [...path, key]);
  const ladder = Array.isArray(raw["waits"])
    ? raw["waits"].map((wait, index) => preparer.duration(wait, [...path, "waits", index]) ?? 0)
    : undefined;
  if (ladder) {
    for (const key of ["times", "wait", "factor"]) {
      if (raw[key] !== undefined)
        preparer.source.reportKey(
          path,
          key,
          "wrong-value",
          `"waits" lists all waits, so "${key}" cannot be used with it.`,
        );
    }
  }
  const number = (key: string) => (typeof raw[key] === "number" ? raw[key] : undefined);
  return {
    ...(ladder ? { waits: ladder } : {}),
    times: ladder?.length ?? number("times") ?? defaultRetry.times,
    wait: duration("wait") ?? defaultRetry.wait,
    factor: number("factor") ?? defaultRetry.factor,
    most: duration("most") ?? defaultRetry.most,
    jitter: number("jitter") ?? (ladder ? 0 : defaultRetry.jitter),
    ...optional("when", preparer.expression(raw["when"], [...path, "when"], resultNames)),
    ...optional("after", preparer.expression(raw["after"], [...path, "after"], resultNames)),
    ...optional("onlyWhen", preparer.expression(raw["only-when"], [...path, "only-when"], resultNames)),
  };
}
