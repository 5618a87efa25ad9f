import { isObject, parseJson, printJson, setOwn, type Json, type JsonObject } from "@copper-kettle/core";

/** A parameter as it is edited; what it has besides stays in `rest`. */
export interface ParameterEdit {
  name: string;
  in: string;
  title: string;
  about: string;
  required: boolean;
  type: string;
  /** JSON or plain text; empty: none. */
  preset: string;
  /** One a line. */
  choices: string;
  /** Always sent, and not for others to change; empty: not fixed. */
  fixed: string;
  /** The parameter as it stands in the document. */
  raw: JsonObject;
  /** Whether it stands elsewhere in the document, and is only referred to here. */
  shared: boolean;
}

export const places = ["query", "header", "path", "cookie"];
export const types = ["string", "integer", "number", "boolean", "array", "object"];

/** The parameters of an operation object, as they are edited. */
export function parameterEdits(operation: JsonObject): ParameterEdit[] {
  const list = Array.isArray(operation["parameters"]) ? operation["parameters"].filter(isObject) : [];
  return list.map((raw) => {
    const schema = isObject(raw["schema"]) ? raw["schema"] : {};
    const text = (value: Json | undefined) => (typeof value === "string" ? value : "");
    return {
      name: text(raw["name"]) || text(raw["$ref"]).split("/").at(-1) || "",
      in: text(raw["in"]),
      title: text(schema["title"]),
      about: text(raw["description"]),
      required: raw["required"] === true || raw["in"] === "path",
      type: String([schema["type"] ?? ""].flat().find((one) => one !== "null") ?? ""),
      preset: shown(schema["default"]),
      choices: Array.isArray(schema["enum"]) ? schema["enum"].map(shown).join("\n") : "",
      fixed: shown(schema["const"]),
      raw,
      shared: raw["$ref"] !== undefined,
    };
  });
}

export function newParameter(): ParameterEdit {
  const raw = { name: "", in: "query", schema: { type: "string" } };
  return {
    name: "",
    in: "query",
    title: "",
    about: "",
    required: false,
    type: "string",
    preset: "",
    choices: "",
    fixed: "",
    raw,
    shared: false,
  };
}

/** The operation object with its parameters as they were edited; all else as it was. */
export function withParameters(operation: JsonObject, edits: ParameterEdit[]): JsonObject {
  const parameters = edits.map((edit) => (edit.shared ? edit.raw : rawOf(edit)));
  const { parameters: before, ...rest } = operation;
  if (parameters.length === 0 && before === undefined) return operation;
  return before === undefined ? { ...rest, parameters } : { ...operation, parameters };
}

function rawOf(edit: ParameterEdit): JsonObject {
  const raw: JsonObject = { ...edit.raw, name: edit.name, in: edit.in };
  const put = (target: JsonObject, key: string, value: Json | undefined): void => {
    if (value === undefined || value === "" || value === false) delete target[key];
    else setOwn(target, key, value);
  };
  put(raw, "description", edit.about);
  put(raw, "required", edit.required || edit.in === "path");
  const schema: JsonObject = { ...(isObject(raw["schema"]) ? raw["schema"] : {}) };
  const known = [schema["type"] ?? ""].flat();
  if (!known.includes(edit.type)) put(schema, "type", edit.type);
  put(schema, "title", edit.title);
  put(schema, "const", valueOf(edit.fixed, edit.type));
  put(schema, "default", valueOf(edit.preset, edit.type));
  const choices = edit.choices.split("\n").filter(Boolean);
  put(schema, "enum", choices.length > 0 ? choices.map((one) => valueOf(one, edit.type) ?? one) : undefined);
  if (raw["content"] === undefined) raw["schema"] = schema;
  return raw;
}

function shown(value: Json | undefined): string {
  return value === undefined ? "" : typeof value === "string" ? value : printJson(value);
}

/** A value as it was typed, in the type of its parameter. */
function valueOf(text: string, type: string): Json | undefined {
  if (text === "") return undefined;
  if (type === "string" || type === "") return text;
  try {
    return parseJson(text);
  } catch {
    return text;
  }
}

/** A text of an operation; an empty one if it has none. */
export function textAt(operation: JsonObject, key: string): string {
  const found = operation[key];
  return typeof found === "string" ? found : "";
}

/** The operation with another text, where it stood; an empty one goes. */
export function withText(operation: JsonObject, key: string, text: string | null): JsonObject {
  const { [key]: _old, ...rest } = operation;
  return text ? { ...operation, [key]: text } : rest;
}

/** The scopes that an operation wants, of whichever of its security requirements names any. */
export function scopesOf(operation: JsonObject): string[] {
  const [, scopes] = requirementOf(operation);
  return scopes;
}

/** An operation that wants these scopes; none are taken away with their requirement. */
export function withScopes(operation: JsonObject, scopes: string[]): JsonObject {
  const { security: _old, ...rest } = operation;
  const [name] = requirementOf(operation);
  return scopes.length > 0 ? { ...rest, security: [{ [name]: scopes }] } : rest;
}

function requirementOf({ security }: JsonObject): [scheme: string, scopes: string[]] {
  const all = (Array.isArray(security) ? security : []).flatMap((one) =>
    isObject(one) ? Object.entries(one) : [],
  );
  const found = all.find(([, scopes]) => Array.isArray(scopes) && scopes.length > 0) ?? all[0];
  return found ? [found[0], [found[1] ?? []].flat().map(String)] : ["oauth2", []];
}

/**
 * The names of scopes in a text: in a list of them all, in a sentence those that look like one (`orders:read`,
 * `orders.read.all`, `read_orders`, an address).
 */
export function scopesIn(text: string): string[] {
  const words = text
    .split(/[\s,;"'`()[\]{}]+/)
    .map((word) => word.replace(/[.:]+$/, ""))
    .filter(Boolean);
  const like = words.filter((word) =>
    /^[A-Za-z][\w-]*([:./][\w*-]+)+$|^https:\/\/\S+$|^[a-z]+(_[a-z]+)+$/.test(word),
  );
  // One plain word between others may be a scope; more of them are prose.
  const isSentence = like.length > 0 && words.length > like.length + 1;
  return [...new Set(isSentence ? like : words)];
}
