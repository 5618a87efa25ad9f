import { isObject, own, type JsonObject } from "../values/json.js";
import { deref, type Operation } from "./openapi.js";

/** Where an operation stands in a document; the method in any case. */
export type OperationPlace = Pick<Operation, "method" | "path">;

function itemOf(document: JsonObject, path: string): JsonObject {
  const paths = document["paths"];
  const item = isObject(paths) ? deref(document, own(paths, path)) : undefined;
  return isObject(item) ? item : {};
}

/** An operation as it stands in a document; undefined if there is none. */
export function rawOperation(document: JsonObject, { path, method }: OperationPlace): JsonObject | undefined {
  const found = own(itemOf(document, path), method.toLowerCase());
  return isObject(found) ? found : undefined;
}

/** A document with an operation in it; one of the same path and method is replaced. */
export function withOperation(
  document: JsonObject,
  { path, method }: OperationPlace,
  operation: JsonObject,
): JsonObject {
  const paths = isObject(document["paths"]) ? document["paths"] : {};
  const item = { ...itemOf(document, path), [method.toLowerCase()]: operation };
  return { ...document, paths: { ...paths, [path]: item } };
}

/** A document without an operation; its path goes too where nothing is left at it. */
export function withoutOperation(document: JsonObject, { path, method }: OperationPlace): JsonObject {
  const { [path]: _item, ...others } = isObject(document["paths"]) ? document["paths"] : {};
  const { [method.toLowerCase()]: _gone, ...left } = itemOf(document, path);
  const some = Object.keys(left).some((key) => key !== "parameters");
  return { ...document, paths: some ? { ...others, [path]: left } : others };
}

/** The document of a new API. */
export function newDocument(title: string, server: string): JsonObject {
  return { openapi: "3.1.1", info: { title, version: "1" }, servers: [{ url: server }], paths: {} };
}
