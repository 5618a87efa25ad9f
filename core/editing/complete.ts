import type { YAMLMap } from "yaml";
import type { z } from "zod";
import { isObject, own, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { Operation } from "../apis/openapi.js";
import { schemaKeywords, schemaTypes } from "../workflows/check-schema.js";
import { shallowDocument, shallowSteps, stepKinds } from "../workflows/document.js";
import { triggerKinds, triggerSchemas } from "../workflows/document-triggers.js";
import { fieldKind, withinStep } from "../workflows/fields.js";
import { kindWords } from "./begin.js";
import { caretPlace, keysOf, type CaretPlace } from "./caret.js";
import { defOf } from "./forms.js";

/** The names that a file may use. */
export interface FileNames {
  credentials: readonly { name: string; kind: string; hosts: readonly string[] }[];
  workflows: readonly { name: string; title: string | null; inputs: readonly string[] }[];
  apis: readonly {
    name: string;
    operations: readonly { id: string; method: string; path: string; title: string }[];
  }[];
  /** An operation by its API and id, `stays.searchGuests`, where its document is known. */
  operation: (name: string) => Operation | undefined;
}

/** What could stand at the caret. */
export interface FileCompletion {
  /** What people see. */
  label: string;
  /** What is put in. */
  text: string;
  detail: string;
  help: string;
}

export interface FileCompletions {
  /** The part of the text that is replaced, as offsets. */
  from: number;
  to: number;
  options: FileCompletion[];
}

const methods = ["GET", "POST", "PUT", "PATCH", "DELETE", "HEAD"];

/**
 * What could stand at a caret in the text of a workflow file, finished or not: keys of the file, of its triggers and steps, choices,
 * operations with their parameters, credentials, workflows. What stands in expressions is not among them (`shapes/complete.ts`).
 */
export function completeFile(text: string, caret: number, names: FileNames): FileCompletions {
  const place = caretPlace(text, caret);
  if (!place) return { from: caret, to: caret, options: [] };
  const options = place.isKey ? keysAt(place, names) : wordsAt(place, names);
  return { from: place.from, to: place.to, options };
}

function keysAt(place: CaretPlace, names: FileNames): FileCompletion[] {
  const { path, maps, hasColon } = place;
  const around = maps.at(-1);
  const there = new Set(around?.path.length === path.length ? keysOf(around.map) : []);
  const seen = new Set<string>();
  return [...special(place, names), ...keysOfSchemas(place)].flatMap(({ key, detail, help }) => {
    if (there.has(key) || seen.has(key)) return [];
    seen.add(key);
    return [{ label: key, text: hasColon ? key : `${key}: `, detail, help }];
  });
}

interface Key {
  key: string;
  detail: string;
  help: string;
}

/** Keys that no schema of the file knows: parameters, fields of a body, inputs of another workflow, words of JSON Schema. */
function special({ path, maps }: CaretPlace, names: FileNames): Key[] {
  const [last, above] = [path.at(-1), path.slice(0, -1)];
  const operation = names.operation(String(nearest(maps, "operation", path) ?? ""));
  if (last === "parameters")
    return (operation?.parameters ?? []).map((parameter) => ({
      key: parameter.name,
      detail: `${parameter.in}${parameter.required ? ", required" : ""}`,
      help: parameter.about ?? parameter.title,
    }));
  const body = path.lastIndexOf("body");
  if (operation?.body && body >= 0 && path.length > body + 1) {
    const wanted = String(path[body + 1]);
    const content = operation.body.content.find(({ type }) => type.includes(wanted));
    return content?.schema ? propertiesAt(content.schema, path.slice(body + 2)) : [];
  }
  if (last === "inputs" && above.at(-1) === "workflow") {
    const called = String(mapAt(maps, above)?.get("name") ?? "");
    const inputs = names.workflows.find(({ name }) => name === called)?.inputs ?? [];
    return inputs.map((key) => ({ key, detail: `input of ${called}`, help: "" }));
  }
  const isSchema = path[0] === "inputs" || (path[0] === "responses" && path.length > 1);
  if (isSchema && !["properties", "patternProperties", "$defs"].includes(String(last)))
    return schemaKeywords.map((key) => ({ key, detail: "JSON Schema", help: "" }));
  return [];
}

/** The properties of a JSON Schema, at a way into its values. */
function propertiesAt(schema: JsonObject, path: Path): Key[] {
  let at: Json | undefined = schema;
  for (const part of path) {
    if (!isObject(at)) return [];
    const properties: Json | undefined = own(at, "properties");
    at =
      typeof part === "number" ? own(at, "items") : isObject(properties) ? own(properties, part) : undefined;
  }
  if (!isObject(at)) return [];
  const properties = own(at, "properties");
  const required = own(at, "required");
  if (!isObject(properties)) return [];
  return Object.keys(properties).map((key) => {
    const of = properties[key];
    const type = isObject(of) ? [own(of, "type") ?? ""].flat().join(" or ") : "";
    const isRequired = Array.isArray(required) && required.includes(key);
    return {
      key,
      detail: [type, isRequired ? "required" : ""].filter(Boolean).join(", "),
      help: isObject(of) ? String(own(of, "description") ?? own(of, "title") ?? "") : "",
    };
  });
}

function keysOfSchemas(place: CaretPlace): Key[] {
  const { path, maps } = place;
  const isStep = withinStep(path)?.length === 0;
  const kind = isStep ? kindAt(maps, path) : undefined;
  const keys = schemasAt(path, maps).flatMap((schema) =>
    Object.entries(defOf(schema).shape ?? {}).map(([key, inner]) => {
      const isKind = isStep && kind === undefined && stepKinds.some((one) => one === key);
      const words = isKind ? kindWords.find((one) => one.kind === key)?.about : undefined;
      const isOptional = defOf(inner).type === "optional";
      return {
        key,
        detail: isKind ? "kind of step" : isOptional ? "" : "required",
        help: words ?? helpOf(inner),
        order: key === "step" ? 0 : isKind ? 1 : isOptional ? 3 : 2,
      };
    }),
  );
  return keys.sort((a, b) => a.order - b.order);
}

/** The first sentence of a schema about itself, also where it is optional. */
function helpOf(schema: z.ZodType): string {
  for (let at: z.ZodType | undefined = schema; at; at = defOf(at).innerType)
    if (at.description !== undefined) return at.description;
  return "";
}

/** The schemas that a value at a place may have: of a step whose kind is not there yet, all of them. */
function schemasAt(path: Path, maps: CaretPlace["maps"]): z.ZodType[] {
  const within = withinStep(path);
  if (within) {
    const kind = kindAt(maps, path.slice(0, path.length - within.length));
    const all = kind === undefined ? Object.values(shallowSteps) : [shallowSteps[kind]];
    return within.reduce<z.ZodType[]>(into, all);
  }
  const [root, name, ...rest] = path;
  if (root === "triggers" && name !== undefined) {
    const map = mapAt(maps, [root, name]);
    const kind = triggerKinds.find((one) => map?.has(one));
    const all = kind === undefined ? Object.values(triggerSchemas) : [triggerSchemas[kind]];
    return rest.reduce<z.ZodType[]>(into, all);
  }
  return path.reduce<z.ZodType[]>(into, [shallowDocument]);
}

/** What may stand one step further. */
function into(schemas: z.ZodType[], part: Path[number]): z.ZodType[] {
  return schemas.flatMap(forms).flatMap((schema) => {
    const { shape, element, valueType } = defOf(schema);
    if (typeof part === "number") return element ? forms(element) : [];
    if (shape && Object.hasOwn(shape, part)) return forms(shape[part] as z.ZodType);
    return valueType ? forms(valueType) : [];
  });
}

/** What a schema may be, without what makes it optional and without choices between others. */
function forms(schema: z.ZodType): z.ZodType[] {
  const { innerType, options } = defOf(schema);
  if (innerType) return forms(innerType);
  return options ? options.flatMap(forms) : [schema];
}

function wordsAt(place: CaretPlace, names: FileNames): FileCompletion[] {
  const { path, maps } = place;
  const word = (label: string, detail = "", help = ""): FileCompletion => ({
    label,
    text: label,
    detail,
    help,
  });
  const key = path.at(-1);
  const isInStep = withinStep(path) !== undefined;
  if (key === "request" && isInStep) return methods.map((label) => ({ ...word(label), text: `${label} ` }));
  if (path.at(-2) === "parameters") {
    const operation = names.operation(String(nearest(maps, "operation", path) ?? ""));
    const parameter = operation?.parameters.find(({ name }) => name === key);
    return (parameter?.choices ?? []).map((choice) => word(String(choice), String(key)));
  }
  if ((path[0] === "inputs" || path[0] === "responses") && key === "type")
    return schemaTypes.map((type) => word(type));
  const found = schemasAt(path, maps).flatMap((schema): FileCompletion[] => {
    switch (fieldKind(schema)) {
      case "credential":
        return names.credentials.map(({ name, kind, hosts }) => word(name, kind, hosts.join(", ")));
      case "workflow":
        return names.workflows.map(({ name, title }) => word(name, "", title ?? ""));
      case "operation":
        return names.apis.flatMap((api) =>
          api.operations.map(({ id, method, path: at, title }) =>
            word(`${api.name}.${id}`, `${method} ${at}`, title),
          ),
        );
      case undefined:
        return choicesOf(schema).map((choice) => word(choice));
      default:
        return [];
    }
  });
  return [...new Map(found.map((option) => [option.label, option])).values()];
}

function choicesOf(schema: z.ZodType): string[] {
  const { type, entries, values } = defOf(schema);
  if (type === "enum") return Object.keys(entries ?? {});
  if (type === "literal") return (values ?? []).map(String);
  return type === "boolean" ? ["true", "false"] : [];
}

const mapAt = (maps: CaretPlace["maps"], path: Path): YAMLMap | undefined =>
  maps.find((one) => one.path.length === path.length)?.map;

const kindAt = (maps: CaretPlace["maps"], step: Path): (typeof stepKinds)[number] | undefined => {
  const map = mapAt(maps, step);
  return stepKinds.find((kind) => map?.has(kind));
};

/** The value of a key in the innermost mapping around a place that has it. */
function nearest(maps: CaretPlace["maps"], key: string, path: Path): unknown {
  const steps = withinStep(path);
  if (!steps) return undefined;
  const outermost = path.length - steps.length;
  return maps.findLast(({ path: at, map }) => at.length >= outermost && map.has(key))?.map.get(key);
}
