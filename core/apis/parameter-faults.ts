import { RequestRefused } from "../http/message.js";
import { Exact, isObject, kindOf, own, printJson, type Json, type JsonObject } from "../values/json.js";
import { nearest } from "../values/nearest.js";
import { fieldNamed, type BodyField } from "./body-fields.js";
import type { Operation, Parameter } from "./openapi.js";
import { ruleFault, type Rule } from "./rules.js";

/** @throws RequestRefused (`bad-request`) with all that is wrong with the values given, before anything is sent */
export function requireFit(
  operation: Operation,
  given: JsonObject,
  how: { fields?: readonly BodyField[]; now?: number } = {},
): void {
  const faults = parameterFaults(operation, given, undefined, how);
  if (faults.length > 0)
    throw new RequestRefused("bad-request", faults.map(({ message }) => message).join(" "));
}

/** What is wrong with a parameter. */
export interface ParameterFault {
  name: string;
  message: string;
}

/** What is wrong with the parameters given; `known` is false for values that come at run time only. */
export function parameterFaults(
  operation: Operation,
  given: JsonObject,
  known: (name: string) => boolean = () => true,
  { fields = [], now = Date.now() }: { fields?: readonly BodyField[]; now?: number } = {},
): ParameterFault[] {
  const names = [...operation.parameters, ...fields].map(({ name }) => name);
  const faults = fieldFaults(operation, fields, given, known, now);
  for (const name of Object.keys(given)) {
    if (names.includes(name) || fieldNamed(fields, name)) continue;
    const meant = nearest(name, names);
    const hint = meant
      ? `; did you mean "${meant}"?`
      : names.length > 0
        ? `; it has ${names.join(", ")}.`
        : "; it has none.";
    faults.push({ name, message: `${operation.id} has no parameter "${name}"${hint}` });
  }
  for (const parameter of operation.parameters) {
    const { name, title, fixed } = parameter;
    const value = own(given, name);
    const label = `The parameter ${title === name ? `"${name}"` : `"${title}" (${name})`} of ${operation.id}`;
    if (value !== undefined && fixed !== undefined)
      faults.push({ name, message: `${label} is fixed and cannot be set.` });
    else if (value === undefined || known(name)) {
      const sent = valueOf(parameter, given);
      const isRuled = parameter.rule !== undefined && sent !== undefined && known(name);
      const fault =
        valueFault(parameter, sent) ??
        (isRuled ? said(ruleFault(parameter.rule as Rule, sent, now)) : undefined);
      if (fault) faults.push({ name, message: `${label} ${fault}` });
    }
  }
  return faults;
}

function said(otherwise: string | undefined): string | undefined {
  return otherwise === undefined ? undefined : `is not taken: ${otherwise.replace(/\.?$/, ".")}`;
}

/** What is wrong with the fields of the body that were given by name; what is missing counts once one is given. */
function fieldFaults(
  { id, parameters }: Operation,
  fields: readonly BodyField[],
  given: JsonObject,
  known: (name: string) => boolean,
  now: number,
): ParameterFault[] {
  const values = new Map<BodyField, [name: string, value: Json]>();
  const taken = new Set(parameters.map(({ name }) => name));
  for (const name of Object.keys(given)) {
    const field = taken.has(name) ? undefined : fieldNamed(fields, name);
    if (field) values.set(field, [name, own(given, name) as Json]);
  }
  if (values.size === 0) return [];
  const missing = missingFields(fields, values);
  return fields.flatMap((field): ParameterFault[] => {
    const { title, choices, rule, fixed } = field;
    const [name = field.name, value] = values.get(field) ?? [];
    const label = `The field ${title === name ? `"${name}"` : `"${title}" (${name})`} of the body of ${id}`;
    const fault = (message: string | undefined): ParameterFault[] =>
      message === undefined ? [] : [{ name, message: `${label} ${message}` }];
    if (value === undefined || value === null)
      return missing.has(field) ? fault("is required, and has no value.") : [];
    if (fixed !== undefined) return fault("is fixed and cannot be set.");
    if (!known(name)) return [];
    if (choices && !choices.some((choice) => printJson(choice) === printJson(value)))
      return fault(
        `must be one of ${choices.map((choice) => printJson(choice)).join(", ")}, not ${printJson(value)}.`,
      );
    return rule ? fault(said(ruleFault(rule, value, now))) : [];
  });
}

/** Which fields without a value must have one; null is no value. Each field is looked at once. */
function missingFields(
  fields: readonly BodyField[],
  values: ReadonlyMap<BodyField, [name: string, value: Json]>,
): Set<BodyField> {
  const keyOf = (path: readonly string[]): string => JSON.stringify(path);
  const outside = ({ path }: BodyField): string[] =>
    path.slice(1).map((_, at) => keyOf(path.slice(0, at + 1)));
  const byPath = new Map(fields.map((field) => [keyOf(field.path), field]));
  const isSent = (field: BodyField): boolean => (values.get(field)?.[1] ?? field.fixed ?? null) !== null;
  // An object comes about by what lies in it: what it must have there is demanded itself.
  const begun = new Set(fields.filter(isSent).flatMap(outside));
  const asked = new Set(
    fields.filter(({ required }) => required).map(({ path }) => keyOf(path.slice(0, -1))),
  );
  const isComing = (key: string): boolean => {
    const field = byPath.get(key);
    return field !== undefined && !isSent(field) && (field.required || begun.has(key));
  };
  return new Set(
    fields.filter((field) => {
      const key = keyOf(field.path);
      const isMade = begun.has(key) || asked.has(key);
      return field.required && !isSent(field) && !isMade && outside(field).every(isComing);
    }),
  );
}

/** The value that is sent: the fixed one, the one given, or the default. Null and undefined leave it out. */
export function valueOf({ name, fixed, default: otherwise }: Parameter, given: JsonObject): Json | undefined {
  const value = fixed ?? own(given, name) ?? otherwise;
  return value === null ? undefined : value;
}

function valueFault(parameter: Parameter, value: Json | undefined): string | undefined {
  if (value === undefined || (value === "" && parameter.in === "path"))
    return parameter.required ? "is required, and has no value." : undefined;
  const { choices, schema } = parameter;
  if (choices && !choices.some((choice) => String(choice) === String(value)))
    return `must be one of ${choices.map((choice) => printJson(choice)).join(", ")}, not ${printJson(value)}.`;
  const types = [schema["type"] ?? []].flat() as string[];
  const fits = (type: string): boolean => {
    switch (type) {
      case "integer":
        return value instanceof Exact || (/^-?\d+$/.test(String(value)) && !Array.isArray(value));
      case "number":
        return (
          value instanceof Exact ||
          (!Number.isNaN(Number(value)) && value !== "" && typeof value !== "object")
        );
      case "boolean":
        return typeof value === "boolean" || value === "true" || value === "false";
      case "array":
        return Array.isArray(value);
      case "object":
        return isObject(value);
      case "string":
        return typeof value !== "object" || value instanceof Exact;
      default:
        return true;
    }
  };
  if (types.length === 0 || types.some(fits)) return undefined;
  return `must be ${types.length === 1 ? "" : "one of "}${types.join(", ")}; it is ${kindOf(value)}: ${printJson(value).slice(0, 60)}.`;
}
