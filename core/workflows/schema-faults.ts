import type { z } from "zod";
import { aKind, type Json } from "../values/json.js";
import { nearest } from "../values/nearest.js";
import type { Path } from "../values/paths.js";
import { fieldKind } from "./fields.js";
import { meantByValue } from "./key-habits.js";

/** What a schema finds wrong, in sentences for people. */

/**
 * What is wrong with a value that may be of several forms: the faults of the form that it comes nearest to, which is the
 * one whose kind of value it is. Without one, the choice of forms is the fault.
 */
export function specific(issue: z.core.$ZodIssue): z.core.$ZodIssue[] {
  if (issue.code !== "invalid_union") return [issue];
  const isOfKind = (faults: z.core.$ZodIssue[]): boolean =>
    !faults.some(
      ({ code, path }) => path.length === 0 && (code === "invalid_type" || code === "invalid_value"),
    );
  const fitting = issue.errors.filter(isOfKind);
  // Of several mappings the one that knows all keys; if none does, it is the key that is at fault.
  const unknown = (faults: z.core.$ZodIssue[]): boolean =>
    faults.some(({ code }) => code === "unrecognized_keys");
  const [only, second] = fitting.length > 1 ? fitting.filter((faults) => !unknown(faults)) : fitting;
  const nearest =
    only && !second
      ? only
      : (fitting
          .map((faults) => faults.filter((one) => unknown([one])))
          .find((faults) => faults.length > 0) ??
        issue.errors.find((faults) => faults[0]?.code === "invalid_value"));
  if (!nearest) return [issue];
  return nearest
    .flatMap((one) => specific(one))
    .map((one) => ({ ...one, path: [...issue.path, ...one.path] }) as z.core.$ZodIssue);
}

const words: Record<string, string> = {
  string: "a text",
  number: "a number",
  int: "a whole number",
  boolean: "true or false",
  array: "a list",
  object: "a mapping",
  record: "a mapping",
};

export function sentence(
  issue: z.core.$ZodIssue,
  path: Path,
  value: Json | undefined,
  schema: z.ZodType,
  inner: Path,
): string {
  const field = `"${String(path[path.length - 1])}"`;
  if (value === undefined) return `${field} is missing.`;
  if (fieldKind(schemaAt(schema, inner)) === "expression") {
    return `${field} is an expression, such as size(steps.lookup.body.items) > 0; this is ${aKind(value)}. If it begins with [ or {, put it in quotes.`;
  }
  switch (issue.code) {
    case "invalid_type":
      return `${field} must be ${words[issue.expected] ?? issue.expected}; it is ${aKind(value)}.${formOf(path, value)}`;
    case "invalid_value":
      return `${field} must be ${issue.values.map((item) => String(item)).join(" or ")}${nearestHint(value, issue.values.map(String))}`;
    case "invalid_format":
      return `${field} is "${String(value)}"; it must be ${issue.message.replace(/^Invalid string: /, "")}.`;
    case "too_small":
      return `${field} must be at least ${String(issue.minimum)}.`;
    case "too_big":
      return `${field} must be at most ${String(issue.maximum)}.`;
    default:
      return `${field}: ${issue.message}.`;
  }
}

/** How a field is written that has a value of another kind. */
function formOf(path: Path, value: Json): string {
  const form = meantByValue(String(path.at(-1)), value);
  return form ? ` Write ${form}.` : "";
}

function nearestHint(value: Json, choices: string[]): string {
  const near = typeof value === "string" ? nearest(value, choices) : undefined;
  return near
    ? `; did you mean ${near}?`
    : `, not ${typeof value === "string" ? `"${value}"` : String(value)}.`;
}

interface Def {
  type: string;
  innerType?: z.ZodType;
  element?: z.ZodType;
  valueType?: z.ZodType;
  shape?: Record<string, z.ZodType>;
  options?: z.ZodType[];
}

function defOf(schema: z.ZodType): Def {
  let def = schema.def as unknown as Def;
  while (def.type === "optional" && def.innerType) def = def.innerType.def as unknown as Def;
  return def;
}

function schemaAt(schema: z.ZodType | undefined, path: Path): z.ZodType | undefined {
  let at: z.ZodType | undefined = schema;
  for (const part of path) {
    if (!at) return undefined;
    const def = defOf(at);
    const forms: Def[] = def.type === "union" ? (def.options ?? []).map(defOf) : [def];
    at = forms
      .map((form) =>
        form.type === "array"
          ? form.element
          : form.type === "record"
            ? form.valueType
            : form.shape?.[String(part)],
      )
      .find((found) => found !== undefined);
  }
  return at;
}

export function keysAt(schema: z.ZodType, path: Path): string[] {
  const at = schemaAt(schema, path);
  const def = at && defOf(at);
  const forms = def?.type === "union" ? (def.options ?? []).map(defOf) : def ? [def] : [];
  return forms.flatMap((form) => Object.keys(form.shape ?? {}));
}
