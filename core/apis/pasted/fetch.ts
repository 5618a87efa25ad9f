import { parse, type Node } from "acorn";
import { toBase64, utf8 } from "../../values/encodings.js";
import { isObject, parseJson, printJson, setOwn, type Json, type JsonObject } from "../../values/json.js";
import { addField } from "./fields.js";
import {
  bodyOf,
  headerIn,
  mendedUrl,
  NotUnderstood,
  type PastedBody,
  type PastedRequest,
} from "./request.js";

/** A node of the syntax tree (ESTree), by whatever fields it has. */
type Syntax = Node & Record<string, unknown>;

/** What an expression stands for: plain data; a form; or nothing that is known before it runs. */
type Value = Json | Form | undefined;

/** Fields of `URLSearchParams` or `FormData`. */
class Form {
  readonly fields: JsonObject = {};
  constructor(readonly kind: "form" | "multipart") {}

  append(name: string, value: Json): void {
    addField(this.fields, name, value);
  }
}

/**
 * Reads a `fetch(…)` call out of a piece of JavaScript, as browsers copy it and as people write it: with what comes before
 * and behind it, texts put together, constants, `JSON.stringify`, forms. What only the program knows stands as `{name}`.
 * @throws NotUnderstood
 */
export function readFetch(text: string): PastedRequest {
  const program = parsed(text);
  const reader = new Reader();
  reader.gather(program);
  const call = reader.fetchCall;
  const [target, init] = call ? (call["arguments"] as Syntax[]) : [];
  const url = target && reader.value(target);
  if (typeof url !== "string")
    throw new NotUnderstood(
      'The fetch call must name its address, as in fetch("https://stays.example/guests", { … }).',
    );
  const options = init ? reader.value(init) : {};
  if (!isPlain(options))
    throw new NotUnderstood("The options of the fetch call are not written out. Paste what is really sent.");
  const notes: string[] = [];
  const headers = headersOf(options["headers"]).filter(([name]) => !/^(sec-|accept-encoding$)/i.test(name));
  const body = bodyFrom(options["body"], headerIn(headers, "content-type"));
  const method =
    typeof options["method"] === "string" ? options["method"].toUpperCase() : body ? "POST" : "GET";
  return { form: "fetch", method, url: mendedUrl(url, notes), headers, ...(body ? { body } : {}), notes };
}

function parsed(text: string): Syntax {
  try {
    return parse(text, {
      ecmaVersion: "latest",
      sourceType: "module",
      allowAwaitOutsideFunction: true,
      allowReturnOutsideFunction: true,
    }) as unknown as Syntax;
  } catch (error) {
    // Also a program that is nested deeper than the reader goes.
    throw new NotUnderstood(
      `The JavaScript around the fetch call cannot be read: ${(error as Error).message}.`,
    );
  }
}

const deepest = 200;
/** So many parts of expressions are read: constants that name others twice would double at each. */
const mostParts = 20_000;

class Reader {
  fetchCall: Syntax | undefined;
  readonly #constants = new Map<string, Syntax>();
  readonly #forms = new Map<string, Form>();
  /** Names whose values are being read: what names itself has none. */
  readonly #reading = new Set<string>();
  #left = mostParts;

  /** Finds the first call of fetch, the constants, and what is appended to forms. */
  gather(node: unknown, depth = 0): void {
    if (Array.isArray(node)) return node.forEach((one) => this.gather(one, depth));
    if (typeof node !== "object" || node === null || depth > deepest) return;
    const syntax = node as Syntax;
    if (syntax.type === "VariableDeclarator") {
      const name = nameOf(syntax["id"]);
      const init = syntax["init"] as Syntax | null;
      if (name && init) this.#constants.set(name, init);
    }
    if (syntax.type === "CallExpression") this.#call(syntax);
    for (const [key, inner] of Object.entries(syntax)) if (key !== "type") this.gather(inner, depth + 1);
  }

  #call(syntax: Syntax): void {
    const callee = syntax["callee"] as Syntax;
    const name = nameOf(callee.type === "MemberExpression" ? callee["property"] : callee);
    if (name === "fetch") this.fetchCall ??= syntax;
    const [object, [first, second]] = [nameOf(callee["object"]), syntax["arguments"] as Syntax[]];
    if ((name !== "append" && name !== "set") || !object || !first || !second) return;
    const form = this.#form(object);
    const [field, value] = [this.value(first), this.value(second)];
    if (form && typeof field === "string") form.append(field, jsonOf(value) ?? { file: field });
  }

  #form(name: string): Form | undefined {
    const known = this.#forms.get(name);
    if (known) return known;
    const init = this.#constants.get(name);
    const made = init && this.value(init);
    if (!(made instanceof Form)) return undefined;
    this.#forms.set(name, made);
    return made;
  }

  value(node: Syntax, depth = 0): Value {
    if (depth > deepest) return undefined;
    if (--this.#left < 0)
      throw new NotUnderstood("The JavaScript around the fetch call is too long to be read.");
    const inner = (part: unknown): Value => this.value(part as Syntax, depth + 1);
    const textOf = (part: unknown): string => {
      const value = inner(part);
      return typeof value === "string"
        ? value
        : value === undefined
          ? placeholder(part as Syntax)
          : printJson(jsonOf(value) ?? null);
    };
    switch (node.type) {
      case "Literal":
        return literal(node);
      case "TemplateLiteral": {
        const texts = (node["quasis"] as { value: { cooked?: string; raw: string } }[]).map(
          ({ value }) => value.cooked ?? value.raw,
        );
        const parts = node["expressions"] as Syntax[];
        return texts.map((text, at) => text + (parts[at] ? textOf(parts[at]) : "")).join("");
      }
      case "ArrayExpression":
        return (node["elements"] as (Syntax | null)[]).map((one) => (one ? known(inner(one), one) : null));
      case "ObjectExpression":
        return this.#object(node, depth);
      case "AwaitExpression":
        return inner(node["argument"]);
      case "UnaryExpression":
        return unary(String(node["operator"]), inner(node["argument"]));
      case "BinaryExpression":
        return node["operator"] === "+" ? textOf(node["left"]) + textOf(node["right"]) : undefined;
      case "LogicalExpression":
        return inner(node["left"]) ?? inner(node["right"]);
      case "Identifier":
        return this.#named(String(node["name"]), depth);
      case "NewExpression":
        return made(nameOf(node["callee"]), (node["arguments"] as Syntax[]).map(inner));
      case "CallExpression":
        return called(node["callee"] as Syntax, (node["arguments"] as Syntax[]).map(inner));
      default:
        return undefined;
    }
  }

  #named(name: string, depth: number): Value {
    const form = this.#forms.get(name);
    const init = this.#constants.get(name);
    if (form || !init || this.#reading.has(name)) return form;
    this.#reading.add(name);
    const value = this.value(init, depth + 1);
    this.#reading.delete(name);
    return value;
  }

  #object(node: Syntax, depth: number): JsonObject {
    const object: Record<string, Value> = {};
    for (const property of node["properties"] as Syntax[]) {
      if (property.type === "SpreadElement") {
        const spread = this.value(property["argument"] as Syntax, depth + 1);
        if (isPlain(spread)) Object.assign(object, spread);
        continue;
      }
      const key = property["key"] as Syntax;
      const name = property["computed"] ? this.value(key, depth + 1) : (nameOf(key) ?? literal(key));
      const value = property["value"] as Syntax;
      const read = this.value(value, depth + 1);
      const isUndefined = nameOf(value) === "undefined";
      if (!isUndefined) setOwn(object as JsonObject, String(name), (read ?? placeholder(value)) as Json);
    }
    // A form stands in it only as the body of a call.
    return object as JsonObject;
  }
}

function literal(node: Syntax): Json {
  const value = node["value"];
  // A number as it was written: it may have more digits than a number of JavaScript.
  if (typeof value === "number" && /^\d+(\.\d+)?$/.test(String(node["raw"])))
    return parseJson(String(node["raw"]).replace(/^0+(?=\d)/, ""));
  return typeof value === "string" || typeof value === "boolean" || typeof value === "number" ? value : null;
}

function unary(operator: string, value: Value): Value {
  if (operator === "-" && typeof value === "number") return -value;
  return operator === "!" && typeof value === "number" ? value === 0 : undefined;
}

/** `new URLSearchParams(…)`, `new FormData()`, `new Headers(…)`, `new URL(…)`. */
function made(name: string | undefined, [first, second]: Value[]): Value {
  switch (name) {
    case "FormData":
      return new Form("multipart");
    case "URLSearchParams": {
      const form = new Form("form");
      for (const [field, value] of typeof first === "string" ? new URLSearchParams(first) : headersOf(first))
        form.append(field, value);
      return form;
    }
    case "URL":
      return typeof first === "string" && typeof second === "string"
        ? second.replace(/\/+$/, "") + first
        : first;
    case "Headers":
      return first;
    default:
      return undefined;
  }
}

function called(callee: Syntax, [first]: Value[]): Value {
  switch (nameOf(callee) ?? `${nameOf(callee["object"]) ?? ""}.${nameOf(callee["property"]) ?? ""}`) {
    case "JSON.stringify":
      return first === undefined ? undefined : printJson(jsonOf(first) ?? null);
    case "encodeURIComponent":
      return typeof first === "string"
        ? /^\{\w+\}$/.test(first)
          ? first
          : encodeURIComponent(first)
        : undefined;
    case "btoa":
      return typeof first === "string" ? toBase64(utf8(first)) : undefined;
    case "String":
      return first;
    default:
      return undefined;
  }
}

/** What stands for a value that only the program knows: the last name in it. */
function placeholder(node: Syntax): string {
  const name =
    nameOf(node) ??
    nameOf(node["property"]) ??
    (node["callee"] ? placeholder(node["callee"] as Syntax).slice(1, -1) : undefined);
  return `{${name ?? "value"}}`;
}

function known(value: Value, node: Syntax): Json {
  return jsonOf(value) ?? placeholder(node);
}

function jsonOf(value: Value): Json | undefined {
  return value instanceof Form ? value.fields : value;
}

function nameOf(node: unknown): string | undefined {
  const { type, name } = (node ?? {}) as { type?: string; name?: string };
  return type === "Identifier" ? name : undefined;
}

function isPlain(value: Value): value is JsonObject {
  return !(value instanceof Form) && isObject(value ?? null);
}

/** Names and values, from an object or a list of pairs. */
function headersOf(value: Value): [string, string][] {
  if (value instanceof Form) return headersOf(value.fields);
  if (Array.isArray(value))
    return value.flatMap((pair): [string, string][] =>
      Array.isArray(pair) && pair.length === 2 ? [[String(pair[0]), String(pair[1])]] : [],
    );
  return isPlain(value) ? Object.entries(value).map(([name, text]) => [name, String(text)]) : [];
}

function bodyFrom(body: Value, type: string | undefined): PastedBody | undefined {
  if (body instanceof Form) return { kind: body.kind, fields: body.fields };
  if (typeof body === "string") return body === "" ? undefined : bodyOf(body, type);
  if (body === undefined || body === null) return undefined;
  throw new NotUnderstood(
    "The body of the fetch call is an object, which is not sent as JSON. Is JSON.stringify missing?",
  );
}
