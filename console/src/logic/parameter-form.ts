import type { OperationDetail } from "@copper-kettle/contract";
import {
  bodyRuleFaults,
  isObject,
  parseJson,
  printJson,
  ruleFault,
  type Json,
  type JsonObject,
} from "@copper-kettle/core";

type Parameter = OperationDetail["parameters"][number];
export type ParameterKind = "choice" | "list" | "json" | "text";

/** How a parameter is filled in. */
export function parameterKind({ schema, choices }: Parameter): ParameterKind {
  const types = [schema["type"] ?? []].flat();
  if (choices && choices.length > 0) return "choice";
  if (types.includes("boolean")) return "choice";
  if (types.includes("array")) return "list";
  return types.includes("object") ? "json" : "text";
}

export function choicesOf({ choices }: Parameter): Json[] {
  return choices && choices.length > 0 ? choices : [true, false];
}

/** Parameters as they are sent, from what was typed; blank ones are left out. A fault for each that cannot be read. */
export function givenParameters(
  parameters: Parameter[],
  typed: Record<string, unknown>,
): { given: JsonObject; faults: Record<string, string> } {
  const given: JsonObject = {};
  const faults: Record<string, string> = {};
  for (const parameter of parameters) {
    const value = typed[parameter.name];
    if (parameter.fixed !== undefined || value === undefined || value === null || value === "") continue;
    const kind = parameterKind(parameter);
    if (kind === "list") given[parameter.name] = String(value).split("\n").filter(Boolean);
    else if (kind === "json") {
      try {
        given[parameter.name] = parseJson(String(value));
      } catch (error) {
        faults[parameter.name] = `This is not JSON: ${(error as Error).message}`;
      }
    } else given[parameter.name] = value as Json;
  }
  return { given, faults };
}

/** What the rules of an operation say of what is typed, by field; what cannot be read yet is not judged. */
export function ruleFaults(
  { id, parameters, fields }: Pick<OperationDetail, "id" | "parameters" | "fields">,
  typed: Record<string, unknown>,
  bodyText: string,
  now: number,
): Record<string, string> {
  const faults: Record<string, string> = {};
  const { given } = givenParameters(parameters, typed);
  for (const { name, rule } of parameters) {
    const value = given[name];
    const fault = rule && value !== undefined ? ruleFault(rule, value, now) : undefined;
    if (fault !== undefined) faults[`parameters.${name}`] = fault;
  }
  if (fields.some(({ rule }) => rule)) {
    const inBody = bodyRuleFaults({ id }, fields, readOrUndefined(bodyText), now);
    if (inBody.length > 0) faults["body"] = inBody.map(({ message }) => message).join(" ");
  }
  return faults;
}

function readOrUndefined(text: string): Json | undefined {
  try {
    return parseJson(text);
  } catch {
    return undefined;
  }
}

/** What was given before, as it stands in the fields. */
export function typedParameters(parameters: Parameter[], given: Json | undefined): Record<string, unknown> {
  const typed: Record<string, unknown> = {};
  if (!isObject(given)) return typed;
  for (const parameter of parameters) {
    const value = given[parameter.name];
    if (value === undefined) continue;
    const kind = parameterKind(parameter);
    if (kind === "list") typed[parameter.name] = [value].flat().map(String).join("\n");
    else if (kind === "json") typed[parameter.name] = printJson(value);
    else typed[parameter.name] = kind === "choice" ? value : String(value);
  }
  return typed;
}

export type BodyKind = "json" | "form" | "multipart" | "xml" | "text" | "file";

/** The kind in which a body of some media type is given. */
export function bodyKindOf(type: string): BodyKind {
  if (/[/+]json\b/i.test(type)) return "json";
  if (/x-www-form-urlencoded/i.test(type)) return "form";
  if (/^multipart\//i.test(type)) return "multipart";
  if (/[/+]xml\b/i.test(type)) return "xml";
  return /^text\//i.test(type) ? "text" : "file";
}
