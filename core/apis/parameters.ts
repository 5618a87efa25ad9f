import { isObject, type Json, type JsonObject } from "../values/json.js";
import { choicesFromOf, type ChoicesFrom } from "./choices.js";
import { ruleOf, type Rule } from "./rules.js";
import { deref, firstExample, objectAt, textAt } from "./references.js";

/** Where a parameter goes; named as in OpenAPI (`in`). */
export type ParameterPlace = "path" | "query" | "header" | "cookie";

/** A parameter of an operation (OpenAPI 3.1, section 4.8.12). */
export interface Parameter {
  /** By which a step gives it; of two of one name in different places, the second is called `query.name`. */
  name: string;
  /** Its name in the request, if a step calls it otherwise. */
  sentAs?: string;
  in: ParameterPlace;
  /** What people call it: the title of its schema, else its name. */
  title: string;
  about?: string;
  required: boolean;
  schema: JsonObject;
  style: string;
  explode: boolean;
  allowReserved: boolean;
  default?: Json;
  choices?: Json[];
  example?: Json;
  /** Always sent, hidden from those who use the operation, and not theirs to change (`const` of its schema). */
  fixed?: Json;
  /** What must hold of its value before it is sent. */
  rule?: Rule;
  choicesFrom?: ChoicesFrom;
}

/** Later ones stand over earlier ones of the same place and name: an operation's over those of its path. */
export function parametersOf(document: JsonObject, list: Json[], path: string, notes: string[]): Parameter[] {
  const found = new Map<string, Parameter>();
  for (const raw of list) {
    const parameter = deref(document, raw);
    if (!isObject(parameter)) {
      notes.push(`A parameter of ${path} refers to nothing; it is left out.`);
      continue;
    }
    const read = parameterOf(document, parameter);
    if (read) found.set(`${read.in} ${read.name}`, read);
  }
  for (const [, name] of path.matchAll(/\{([^}]+)\}/g)) {
    if (name !== undefined && !found.has(`path ${name}`)) {
      notes.push(`The path ${path} has a part {${name}} that no parameter describes; it is read as text.`);
      found.set(`path ${name}`, { ...base(name, "path"), schema: { type: "string" } });
    }
  }
  return withOwnNames([...found.values()]);
}

/** Parameters of one name in several places are told apart by their place. */
function withOwnNames(parameters: Parameter[]): Parameter[] {
  const taken = new Set<string>();
  return parameters.map((parameter) => {
    const { name, in: place } = parameter;
    if (!taken.has(name)) {
      taken.add(name);
      return parameter;
    }
    const own = `${place}.${name}`;
    taken.add(own);
    return { ...parameter, name: own, sentAs: name };
  });
}

/** Fields that are said elsewhere: parameters of these names are to be ignored (OpenAPI 3.1, section 4.8.12.1). */
const saidElsewhere = /^(accept|content-type|authorization)$/i;

function base(name: string, place: ParameterPlace): Parameter {
  const form = place === "query" || place === "cookie";
  return {
    name,
    in: place,
    title: name,
    required: place === "path",
    schema: {},
    style: form ? "form" : "simple",
    explode: form,
    allowReserved: false,
  };
}

function parameterOf(document: JsonObject, raw: JsonObject): Parameter | undefined {
  const name = textAt(raw, "name");
  const place = textAt(raw, "in") as ParameterPlace | undefined;
  if (name === undefined || place === undefined || !["path", "query", "header", "cookie"].includes(place))
    return undefined;
  if (place === "header" && saidElsewhere.test(name)) return undefined;
  // A parameter with `content` is JSON in one text.
  const content = Object.values(objectAt(raw, "content"))[0];
  const schema = deref(document, isObject(content) ? content["schema"] : raw["schema"]);
  const sound = isObject(schema) ? schema : {};
  const start = base(name, place);
  const style = textAt(raw, "style") ?? start.style;
  const about = textAt(raw, "description") ?? textAt(sound, "description");
  const choices = sound["enum"];
  const example =
    raw["example"] ??
    firstExample(document, raw) ??
    (isObject(content) ? (content["example"] ?? firstExample(document, content)) : undefined) ??
    sound["example"] ??
    (Array.isArray(sound["examples"]) ? sound["examples"][0] : undefined);
  const rule = ruleOf(raw) ?? ruleOf(sound);
  const choicesFrom = choicesFromOf(raw) ?? choicesFromOf(sound);
  return {
    ...start,
    title: textAt(sound, "title") ?? name,
    required: place === "path" || raw["required"] === true,
    schema: sound,
    style: isObject(content) ? "json" : style,
    explode: typeof raw["explode"] === "boolean" ? raw["explode"] : style === "form",
    allowReserved: raw["allowReserved"] === true,
    ...(about === undefined ? {} : { about }),
    ...(sound["default"] === undefined ? {} : { default: sound["default"] }),
    ...(Array.isArray(choices) ? { choices } : {}),
    ...(example === undefined ? {} : { example }),
    ...(sound["const"] === undefined ? {} : { fixed: sound["const"] }),
    ...(rule ? { rule } : {}),
    ...(choicesFrom ? { choicesFrom } : {}),
  };
}
