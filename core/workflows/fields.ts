import type { z } from "zod";
import type { Path } from "../values/paths.js";
import { shallowDocument, shallowSteps } from "./document.js";
import { triggerSchemas } from "./document-triggers.js";
import type { FieldKind } from "./document-fields.js";
import { innerListAt } from "./nested.js";

/** A field of the file. `pattern` is the way to it from its step, or from the root; `*` is any key or index. */
export interface Field {
  pattern: readonly string[];
  kind: FieldKind;
}

interface Def {
  innerType?: z.ZodType;
  element?: z.ZodType;
  valueType?: z.ZodType;
  shape?: Record<string, z.ZodType>;
  options?: z.ZodType[];
}

const defOf = (schema: z.ZodType): Def => schema.def as unknown as Def;

/** What a schema is marked as (`document-fields.ts`). */
export function fieldKind(schema: z.ZodType | undefined): FieldKind | undefined {
  for (let at = schema; at; at = defOf(at).innerType) {
    const kind = at.meta()?.["x-ckettle-field"];
    if (kind !== undefined) return kind as FieldKind;
  }
  return undefined;
}

function fieldsOf(schema: z.ZodType, pattern: readonly string[] = []): Field[] {
  const kind = fieldKind(schema);
  if (kind) return [{ pattern, kind }];
  const { innerType, element, valueType, shape, options } = defOf(schema);
  if (innerType) return fieldsOf(innerType, pattern);
  if (shape) return Object.entries(shape).flatMap(([key, inner]) => fieldsOf(inner, [...pattern, key]));
  if (options) return options.flatMap((option) => fieldsOf(option, pattern));
  const each = element ?? valueType;
  return each ? fieldsOf(each, [...pattern, "*"]) : [];
}

/** All fields of all step kinds that hold an expression, a template, a value, a duration or the name of something. */
export const stepFields: readonly Field[] = [
  ...new Map(
    Object.values(shallowSteps)
      .flatMap((schema) => fieldsOf(schema))
      .map((field) => [field.pattern.join("\u0000"), field]),
  ).values(),
];

/** The same of the file itself, outside of its steps. */
export const documentFields: readonly Field[] = [
  ...fieldsOf(shallowDocument),
  ...Object.values(triggerSchemas).flatMap((schema) => fieldsOf(schema, ["triggers", "*"])),
];

/** The keys behind which an expression stands bare. */
export const expressionKeys: readonly string[] = [
  ...new Set(
    stepFields.filter(({ kind }) => kind === "expression").map(({ pattern }) => pattern.at(-1) as string),
  ),
];

/**
 * What the field at a place of a file holds; undefined if it is a plain word, a number, a name or a list of steps.
 * @param path from the root of the file, as in `["steps", 2, "retry", "when"]`
 */
export function fieldAt(path: Path): FieldKind | undefined {
  const inStep = withinStep(path);
  const [fields, way] = inStep ? [stepFields, inStep] : [documentFields, path];
  return fields.find((field) => fits(field, way))?.kind;
}

/** The way from the innermost step to a place; undefined outside of steps. */
export function withinStep(path: Path): Path | undefined {
  if (path[0] !== "steps" || typeof path[1] !== "number") return undefined;
  let rest = path.slice(2);
  for (let list = innerListAt(rest); list !== undefined; list = innerListAt(rest))
    rest = rest.slice(list + 1);
  return rest;
}

function fits({ pattern, kind }: Field, way: Path): boolean {
  if (kind === "value" ? way.length < pattern.length : way.length !== pattern.length) return false;
  return pattern.every((part, index) => part === "*" || part === way[index]);
}
