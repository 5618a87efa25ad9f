import type { z } from "zod";
import { shallowDocument, shallowSteps, type StepKind } from "../workflows/document.js";
import { triggerSchemas, type TriggerKind } from "../workflows/document-triggers.js";
import { fieldKind } from "../workflows/fields.js";
import type { FieldKind } from "../workflows/document-fields.js";
import type { Json } from "../values/json.js";

/** How a field is filled in. `values`: a mapping whose values may hold templates; `either`: one of several forms. */
export type FormKind =
  | Exclude<FieldKind, "value">
  | "value"
  | "values"
  | "words"
  | "number"
  | "switch"
  | "choice"
  | "list"
  | "group"
  | "either"
  | "any";

/** A field of a form, made from the schema of the file. */
export interface FormField {
  key: string;
  kind: FormKind;
  required: boolean;
  help?: string;
  /** Of a text that may be a number: what is one is written as one. */
  numeric?: true;
  /** Of a `choice`. */
  options?: string[];
  /** Of a `group`. */
  fields?: FormField[];
  /** Of an `either`: a word, or the fields of a mapping. */
  forms?: { label: string; value?: Json; fields?: FormField[] }[];
}

interface Def {
  type?: string;
  innerType?: z.ZodType;
  element?: z.ZodType;
  valueType?: z.ZodType;
  shape?: Record<string, z.ZodType>;
  options?: z.ZodType[];
  entries?: Record<string, string>;
  values?: Json[];
}

/** What a schema is made of. */
export const defOf = (schema: z.ZodType): Def => schema.def as unknown as Def;

/** What is edited as lists of steps, and so is in no form. */
const lists = new Set(["steps", "then", "else", "catch", "cases", "branches"]);

function fieldOf(key: string, schema: z.ZodType): FormField {
  let at = schema;
  let required = true;
  let help = at.description;
  for (let inner = defOf(at).innerType; inner; inner = defOf(at).innerType) {
    if (defOf(at).type === "optional") required = false;
    at = inner;
    help ??= at.description;
  }
  return { key, required, ...(help === undefined ? {} : { help }), ...shapeOf(at) };
}

function shapeOf(schema: z.ZodType): Omit<FormField, "key" | "required"> {
  const kind = fieldKind(schema);
  const def = defOf(schema);
  if (kind === "value") return { kind: def.type === "record" ? "values" : "value" };
  if (kind) return { kind };
  switch (def.type) {
    case "string":
      return { kind: "words" };
    case "number":
    case "int":
      return { kind: "number" };
    case "boolean":
      return { kind: "switch" };
    case "enum":
      return { kind: "choice", options: Object.keys(def.entries ?? {}) };
    case "literal":
      return { kind: "choice", options: (def.values ?? []).map(String) };
    case "object":
      return { kind: "group", fields: fieldsOf(def.shape ?? {}) };
    case "array":
      return isPlain(def.element) ? { kind: "list" } : { kind: "any" };
    case "union":
      return unionOf(def.options ?? []);
    default:
      return { kind: "any" };
  }
}

function isPlain(schema: z.ZodType | undefined): boolean {
  const type = schema && defOf(schema).type;
  return type === "string" || type === "enum";
}

function unionOf(options: z.ZodType[]): Omit<FormField, "key" | "required"> {
  const kinds = options.map(fieldKind);
  // One name or several: one is what a form asks for.
  const named = kinds.find((kind) => kind === "credential" || kind === "template");
  const isNumber = (one: z.ZodType): boolean => ["number", "int"].includes(String(defOf(one).type));
  if (named) return { kind: named, ...(options.some(isNumber) ? { numeric: true } : {}) };
  if (options.every((one) => defOf(one).type === "string" || isNumber(one))) return { kind: "words" };
  const forms = options.flatMap((option): NonNullable<FormField["forms"]> => {
    const def = defOf(option);
    if (def.type === "literal") return (def.values ?? []).map((value) => ({ label: String(value), value }));
    if (def.type === "enum") return Object.keys(def.entries ?? {}).map((value) => ({ label: value, value }));
    if (def.type === "boolean") return [{ label: "yes", value: true }];
    if (def.type === "object") {
      const fields = fieldsOf(def.shape ?? {});
      return [{ label: fields.length === 1 ? (fields[0]?.key ?? "") : "as follows", fields }];
    }
    return [];
  });
  return forms.length === 0 ? { kind: "any" } : { kind: "either", forms };
}

function fieldsOf(shape: Record<string, z.ZodType>): FormField[] {
  return Object.entries(shape)
    .filter(([key]) => !lists.has(key))
    .map(([key, schema]) => fieldOf(key, schema));
}

const shapeIn = (schema: z.ZodType): Record<string, z.ZodType> => defOf(schema).shape ?? {};

/** The fields of a kind of step, in the order of the file; its lists of steps and its name are not among them. */
export function stepForm(kind: StepKind): FormField[] {
  return fieldsOf(shapeIn(shallowSteps[kind])).filter(({ key }) => key !== "step");
}

/** The fields of a kind of trigger. */
export function triggerForm(kind: TriggerKind): FormField[] {
  return fieldsOf(shapeIn(triggerSchemas[kind]));
}

/** The fields of the file itself, without its triggers, inputs and steps. */
export function fileForm(): FormField[] {
  return fieldsOf(shapeIn(shallowDocument)).filter(
    ({ key }) => !["copper-kettle", "triggers", "inputs"].includes(key),
  );
}
