import { isObject, own, type JsonObject } from "../values/json.js";
import { deref, isFieldOfPath, type Operation } from "./openapi.js";

/** Where an operation stands in a document; the method in any case. */
export type OperationPlace = Pick<Operation, "method" | "path">;

function itemOf(document: JsonObject, path: string): JsonObject {
  const paths = document["paths"];
  const item = isObject(paths) ? deref(document, own(paths, path)) : undefined;
  return isObject(item) ? item : {};
}

/** An operation as it stands in a document; undefined if there is none. */
export function rawOperation(document: JsonObject, { path, method }: OperationPlace): JsonObject | undefined {
  const item = itemOf(document, path);
  const found = isFieldOfPath(method)
    ? own(item, method.toLowerCase())
    : own(additional(item), method.toUpperCase());
  return isObject(found) ? found : undefined;
}

/**
 * A document with an operation in it; one of the same path and method is replaced. A method that is not a field of a path
 * goes into its `additionalOperations`, which makes the document one of OpenAPI 3.2 (section 4.9.1).
 */
export function withOperation(
  document: JsonObject,
  { path, method }: OperationPlace,
  operation: JsonObject,
): JsonObject {
  const paths = isObject(document["paths"]) ? document["paths"] : {};
  const item = itemOf(document, path);
  if (isFieldOfPath(method))
    return {
      ...document,
      paths: { ...paths, [path]: { ...item, [method.toLowerCase()]: operation } },
    };
  const additionalOperations = { ...additional(item), [method.toUpperCase()]: operation };
  return { ...document, openapi: "3.2.0", paths: { ...paths, [path]: { ...item, additionalOperations } } };
}

/** A document without an operation; its path goes too where nothing is left at it. */
export function withoutOperation(document: JsonObject, { path, method }: OperationPlace): JsonObject {
  const { [path]: _item, ...others } = isObject(document["paths"]) ? document["paths"] : {};
  const { [method.toLowerCase()]: _gone, additionalOperations: _more, ...left } = itemOf(document, path);
  const { [method.toUpperCase()]: _also, ...more } = additional(itemOf(document, path));
  const item = Object.keys(more).length > 0 ? { ...left, additionalOperations: more } : left;
  const some = Object.keys(item).some((key) => key !== "parameters");
  return { ...document, paths: some ? { ...others, [path]: item } : others };
}

function additional(item: JsonObject): JsonObject {
  const found = own(item, "additionalOperations");
  return isObject(found) ? found : {};
}

/** The document of a new API. */
export function newDocument(title: string, server: string): JsonObject {
  return { openapi: "3.1.1", info: { title, version: "1" }, servers: [{ url: server }], paths: {} };
}
