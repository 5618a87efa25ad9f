import { operationName } from "../apis/catalogue.js";
import { defaultEffect, type Effect } from "../http/effect.js";
import { defaultRetry } from "../http/retry.js";
import { anything, ofKind } from "../shapes/shape.js";
import { isObject, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import { requestLine, type StepKind } from "./document.js";
import { innerLists } from "./nested.js";
import { texts, type Preparer } from "./prepare.js";
import type { CallStep, Step, StepBase, ValueTemplate } from "./steps.js";

type Prepare = (preparer: Preparer, raw: JsonObject, path: Path, base: StepBase) => Step | undefined;

/** Prepares one step whose fields have the right shape. Undefined where a part of it is at fault (and reported). */
export function prepareStep(
  preparer: Preparer,
  kind: StepKind,
  raw: JsonObject,
  path: Path,
): Step | undefined {
  const base: StepBase = {
    name: raw["step"] as string,
    ...texts(raw, ["title"]),
    line: preparer.source.line(path),
    reads: [],
  };
  const onlyIf = preparer.expression(raw["only-if"], [...path, "only-if"]);
  const caught = Array.isArray(raw["catch"]) ? raw["catch"] : undefined;
  const prepare = () => kinds[kind](preparer, raw, path, base);
  // Where a failure is caught, the steps inside may not have come to their end.
  const step = caught ? preparer.knowledge.branch(prepare) : prepare();
  // What failed is known in there as `error`; what the steps in there gave is not seen afterwards.
  const handler =
    caught && preparer.within({ error: anything }, () => preparer.steps(caught, [...path, "catch"]));
  if (!step) return undefined;
  return {
    ...step,
    ...optional("onlyIf", onlyIf),
    ...optional("catch", handler),
    ...(raw["keep-going"] === true ? { keepGoing: true } : {}),
  };
}

/** Steps that may not be reached. */
function branch(preparer: Preparer, list: Json | undefined, path: Path): Step[] {
  return preparer.knowledge.branch(() => preparer.steps((list as Json[] | undefined) ?? [], path));
}

const methods = ["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "QUERY"];
/** What only `success` and `retry` see: how an attempt came out. */
const resultNames = ["status", "headers", "body", "failure", "repeated"];

const kinds: Record<StepKind, Prepare> = {
  request(preparer, raw, path, base) {
    const line = requestLine.exec(raw["request"] as string);
    const method = line?.[1] ?? "";
    if (!line || !methods.includes(method)) {
      preparer.source.report([...path, "request"], "wrong-value", requestHint(raw["request"] as string));
      return undefined;
    }
    // The whole line is parsed, so that a fault is placed in the text as it was written; the method is cut off after.
    const whole = preparer.template(raw["request"], [...path, "request"]);
    if (!whole) return undefined;
    const [first, ...rest] = whole.parts;
    const url =
      first && "text" in first ? [{ text: first.text.slice(method.length + 1).trimStart() }, ...rest] : rest;
    return {
      ...base,
      kind: "request",
      method,
      url: {
        source: whole.source,
        parts: url.filter((part) => !("text" in part) || part.text !== ""),
        alone: undefined,
      },
      ...texts(raw, ["using"]),
      ...values(preparer, raw, path, ["query", "headers", "cookies"]),
      ...sendingOf(preparer, raw, path),
      effect: (raw["effect"] as Effect | undefined) ?? defaultEffect(method),
    };
  },

  operation(preparer, raw, path, base) {
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
    preparer.checkOperation(operation, isObject(raw["parameters"]) ? raw["parameters"] : {}, path);
    return {
      ...base,
      kind: "request",
      method: "",
      url: { source: text, parts: [], alone: undefined },
      operation,
      ...texts(raw, ["using"]),
      ...values(preparer, raw, path, ["parameters", "headers"]),
      ...sendingOf(preparer, raw, path),
      ...(raw["effect"] === undefined ? {} : { effect: raw["effect"] as Effect }),
      ...(raw["strict"] === true ? { strict: true } : {}),
    };
  },

  if(preparer, raw, path, base) {
    const condition = preparer.expression(raw["if"], [...path, "if"]);
    const then = branch(preparer, raw["then"], [...path, "then"]);
    const otherwise = branch(preparer, raw["else"], [...path, "else"]);
    return condition && { ...base, kind: "if", cases: [{ condition, then, chose: "then" }], else: otherwise };
  },

  cases(preparer, raw, path, base) {
    const cases = (raw["cases"] as JsonObject[]).map((one, index) => {
      const at = [...path, "cases", index];
      const condition = preparer.expression(one["if"], [...at, "if"]);
      return { condition, then: branch(preparer, one["then"], [...at, "then"]), chose: index };
    });
    const otherwise = branch(preparer, raw["else"], [...path, "else"]);
    const sound = cases.flatMap(({ condition, ...rest }) => (condition ? [{ condition, ...rest }] : []));
    return sound.length === cases.length ? { ...base, kind: "if", cases: sound, else: otherwise } : undefined;
  },

  group(preparer, raw, path, base) {
    const { steps } = raw["group"] as { steps: Json[] };
    return { ...base, kind: "group", steps: preparer.steps(steps, [...path, "group", "steps"]) };
  },

  each(preparer, raw, path, base) {
    const list = preparer.expression(raw["each"], [...path, "each"]);
    const as = (raw["as"] as string | undefined) ?? "item";
    const walked = preparer.knowledge.result(list);
    const isList = walked.kinds?.length === 1 && walked.kinds[0] === "list";
    const item = isList ? (walked.items?.() ?? anything) : anything;
    return preparer.within({ [as]: item, index: ofKind("number") }, () => {
      const steps = preparer.steps(raw["steps"] as Json[], [...path, "steps"]);
      const collect = preparer.expression(raw["collect"], [...path, "collect"]);
      const atOnce = (raw["at-once"] as number | undefined) ?? 1;
      if (atOnce > 1) refuseSet(preparer, raw["steps"] as Json[], [...path, "steps"]);
      return list && { ...base, kind: "each", list, as, atOnce, steps, ...optional("collect", collect) };
    });
  },

  set(preparer, raw, path, base) {
    const entries = Object.entries(raw["set"] as JsonObject);
    return {
      ...base,
      kind: "set",
      values: entries.map(([name, value]) => [name, preparer.value(value, [...path, "set", name])]),
    };
  },

  wait(preparer, raw, path, base) {
    const wait = raw["wait"] as JsonObject;
    if ((wait["for"] === undefined) === (wait["at"] === undefined)) {
      preparer.source.report(
        [...path, "wait"],
        "wrong-value",
        'A wait has either "for", a duration such as 10m, or "at", a time.',
      );
      return undefined;
    }
    if (typeof wait["for"] === "string" && !wait["for"].includes("${"))
      preparer.duration(wait["for"], [...path, "wait", "for"]);
    return {
      ...base,
      kind: "wait",
      ...optional("for", preparer.template(wait["for"], [...path, "wait", "for"])),
      ...optional("at", preparer.template(wait["at"], [...path, "wait", "at"])),
    };
  },

  respond(preparer, raw, path, base) {
    const respond = raw["respond"] as JsonObject;
    const at = [...path, "respond"];
    return {
      ...base,
      kind: "respond",
      status:
        respond["status"] === undefined
          ? { constant: 200 }
          : preparer.value(respond["status"], [...at, "status"]),
      ...values(preparer, respond, at, ["headers", "body"]),
    };
  },

  stop(preparer, raw, path, base) {
    const stop = raw["stop"] as JsonObject;
    return {
      ...base,
      kind: "stop",
      as: (stop["as"] as "succeeded" | "failed" | undefined) ?? "succeeded",
      ...optional("message", preparer.template(stop["message"], [...path, "stop", "message"])),
    };
  },

  note(preparer, raw, path, base) {
    const text = preparer.template(raw["note"], [...path, "note"]);
    return text && { ...base, kind: "note", text };
  },
};

/** What every call says of its body and of how it is sent. */
function sendingOf(
  preparer: Preparer,
  raw: JsonObject,
  path: Path,
): Pick<CallStep, "body" | "timeout" | "redirects" | "success" | "retry"> {
  const timeout = isObject(raw["timeout"]) ? raw["timeout"] : {};
  return {
    ...optional("body", bodyOf(preparer, raw["body"], [...path, "body"])),
    timeout: {
      connect: preparer.duration(timeout["connect"], [...path, "timeout", "connect"]) ?? 10_000,
      answer: preparer.duration(timeout["answer"], [...path, "timeout", "answer"]) ?? 60_000,
    },
    redirects: (raw["redirects"] as "follow" | "none" | undefined) ?? "follow",
    ...optional("success", preparer.expression(raw["success"], [...path, "success"], resultNames)),
    retry: retryOf(preparer, raw["retry"], [...path, "retry"]),
  };
}

const bodyKinds = ["json", "form", "multipart", "text", "xml", "file"] as const;

function bodyOf(preparer: Preparer, raw: Json | undefined, path: Path): CallStep["body"] {
  if (!isObject(raw)) return undefined;
  const given = bodyKinds.filter((kind) => raw[kind] !== undefined);
  const [kind, second] = given;
  if (second)
    preparer.source.reportKey(
      path,
      second,
      "wrong-value",
      `A body is of one kind, and this one has ${given.join(" and ")}.`,
    );
  if (!kind) {
    preparer.source.report(path, "wrong-value", `A body says its kind: ${bodyKinds.join(", ")}.`);
    return undefined;
  }
  return { kind, value: preparer.value(raw[kind] as Json, [...path, kind]) };
}

function optional<K extends string, V>(key: K, value: V | undefined): { [P in K]?: V } {
  return (value === undefined ? {} : { [key]: value }) as { [P in K]?: V };
}

function values<K extends string>(
  preparer: Preparer,
  raw: JsonObject,
  path: Path,
  keys: readonly K[],
): { [P in K]?: ValueTemplate } {
  const found: { [P in K]?: ValueTemplate } = {};
  for (const key of keys) {
    const value = raw[key];
    if (value !== undefined) found[key] = preparer.value(value, [...path, key]);
  }
  return found;
}

function requestHint(text: string): string {
  const form = "A request is a method and a URL, such as: GET https://stays.example/guests";
  const [first = "", rest] = text.trim().split(/\s+/, 2);
  if (methods.includes(first.toUpperCase()) && first !== first.toUpperCase())
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
          `"waits" says all waits; "${key}" cannot stand beside it.`,
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
    ...optional("onlyWhen", preparer.expression(raw["only-when"], [...path, "only-when"], resultNames)),
  };
}

function refuseSet(preparer: Preparer, list: Json[], path: Path): void {
  list.forEach((step, index) => {
    if (!isObject(step)) return;
    const at = [...path, index];
    if (step["set"] !== undefined) {
      preparer.source.reportKey(
        at,
        "set",
        "wrong-value",
        "A variable cannot be set inside a loop with at-once over 1: items would overwrite each other. Give the value to collect, or leave out at-once.",
      );
    }
    for (const inner of innerLists(step)) refuseSet(preparer, inner.list, [...at, ...inner.path]);
  });
}
