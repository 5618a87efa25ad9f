import { isObject, parseJson, printJson, type Json, type JsonObject } from "@copper-kettle/core";

/** One field of a form that is made from a JSON Schema. */
export interface FormField {
  name: string;
  title: string;
  help: string;
  required: boolean;
  kind: "text" | "choice" | "number" | "boolean" | "secret" | "json";
  choices: Json[];
  inputType: string;
}

const inputTypes: Record<string, string> = { email: "email", uri: "url", date: "date", "date-time": "text" };

/** The fields of an object schema, in the order of the file. */
export function fieldsOf(schema: JsonObject | null): FormField[] {
  const properties = schema?.["properties"];
  if (!isObject(properties)) return [];
  const required = Array.isArray(schema?.["required"]) ? schema["required"] : [];
  return Object.entries(properties).map(([name, value]) => {
    const property = isObject(value) ? value : {};
    const type = Array.isArray(property["type"])
      ? property["type"].find((item) => item !== "null")
      : property["type"];
    const choices = Array.isArray(property["enum"]) ? property["enum"] : [];
    return {
      name,
      title: typeof property["title"] === "string" ? property["title"] : name,
      help: typeof property["description"] === "string" ? property["description"] : "",
      required: required.includes(name),
      kind: kindOf(type, choices, property["writeOnly"] === true),
      choices,
      inputType: inputTypes[String(property["format"])] ?? "text",
    };
  });
}

function kindOf(type: Json | undefined, choices: Json[], secret: boolean): FormField["kind"] {
  if (choices.length > 0) return "choice";
  if (type === "string") return secret ? "secret" : "text";
  if (type === "integer" || type === "number") return "number";
  return type === "boolean" ? "boolean" : "json";
}

/** What the form shows at first: the schema's defaults, or what was typed last. */
export function initialValues(schema: JsonObject | null): Record<string, unknown> {
  const properties = schema?.["properties"];
  if (!isObject(properties)) return {};
  const values: Record<string, unknown> = {};
  for (const field of fieldsOf(schema)) {
    const property = properties[field.name];
    const preset = isObject(property) ? property["default"] : undefined;
    if (preset !== undefined) values[field.name] = field.kind === "json" ? printJson(preset, 2) : preset;
  }
  return values;
}

/** Inputs as the fields of the form hold them. */
export function formValues(schema: JsonObject | null, inputs: JsonObject): Record<string, unknown> {
  return Object.fromEntries(
    fieldsOf(schema).flatMap(({ name, kind }) => {
      const value = inputs[name];
      if (value === undefined) return [];
      const isText = kind === "json" || kind === "number";
      return [[name, isText ? printJson(value, kind === "json" ? 2 : 0) : value]];
    }),
  );
}

/** The inputs that a filled form stands for; blank fields are left out. A fault for each field that cannot be read. */
export function readForm(
  fields: FormField[],
  values: Record<string, unknown>,
): { inputs: JsonObject; faults: Record<string, string> } {
  const inputs: JsonObject = {};
  const faults: Record<string, string> = {};
  for (const { name, title, kind, required } of fields) {
    const value = values[name];
    if (value === undefined || value === null || value === "") {
      if (required) faults[name] = `${title} is required.`;
      continue;
    }
    if (kind === "number" || kind === "json") {
      try {
        inputs[name] = parseJson(String(value));
      } catch (error) {
        faults[name] =
          kind === "number" ? "This is not a number." : `This is not JSON: ${(error as Error).message}`;
      }
    } else inputs[name] = value as Json;
  }
  return { inputs, faults };
}
