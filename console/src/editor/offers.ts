import {
  bodyFieldsOf,
  operationById,
  operationName,
  patternsOf,
  type Json,
  type JsonObject,
  type Operation,
} from "@copper-kettle/core";
import { describedApi } from "../logic/catalogue.js";

/** A name that a form offers. */
export interface Offer {
  name: string;
  about: string;
  required: boolean;
  choices?: Json[];
  schema: JsonObject;
  /** Of a parameter: its operation, and the patterns of the addresses that give it. */
  ids?: { operation: string; patterns: string[] };
}

/** What the document of an API says of an operation; undefined if there is no such. */
export async function describedOperation(
  name: string,
): Promise<{ operation: Operation; document: JsonObject } | undefined> {
  const parts = operationName(name);
  const known = parts && (await describedApi(parts.api));
  const operation = known && parts && operationById(known.operations, parts.id);
  return known && operation ? { operation, document: known.document } : undefined;
}

/** The parameters of an operation, those that it requires first. */
export async function parameterOffers(name: string): Promise<Offer[]> {
  const found = await describedOperation(name);
  return (found?.operation.parameters ?? [])
    .filter(({ fixed }) => fixed === undefined)
    .map(({ name: parameter, title, about, in: place, required, choices, schema }) => ({
      name: parameter,
      required,
      schema,
      ids: {
        operation: name,
        patterns: found ? patternsOf(found.operation, parameter) : [],
      },
      about: [
        title === parameter ? "" : title,
        about ?? "",
        place,
        choices ? `one of ${choices.join(", ")}` : "",
      ]
        .filter(Boolean)
        .join(" · "),
      ...(choices ? { choices } : {}),
    }))
    .sort((a, b) => Number(b.required) - Number(a.required));
}

/** The fields of the JSON body of an operation. */
export async function bodyOffers(name: string): Promise<Offer[]> {
  const found = await describedOperation(name);
  if (!found) return [];
  return bodyFieldsOf(found.document, found.operation)
    .filter(({ fixed }) => fixed === undefined)
    .filter(({ path }) => path.length === 1)
    .map(({ path: [field], title, required, choices, schema }) => ({
      name: String(field),
      required,
      schema,
      about: [title === field ? "" : title, choices ? `one of ${choices.join(", ")}` : ""]
        .filter(Boolean)
        .join(" · "),
      ...(choices ? { choices } : {}),
    }));
}
