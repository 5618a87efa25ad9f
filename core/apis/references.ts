import { isObject, own, type Json, type JsonObject } from "../values/json.js";

const mostHops = 32;

/** Follows a reference inside the document (`#/…`, RFC 6901); what leads nowhere is undefined. */
export function deref(document: JsonObject, node: Json | undefined): Json | undefined {
  let found = node;
  for (let hops = 0; hops < mostHops; hops++) {
    if (!isObject(found) || typeof found["$ref"] !== "string") return found;
    found = pointedAt(document, found["$ref"]);
  }
  return undefined;
}

/** What a reference inside the document leads to, which may be a reference again (RFC 6901). */
export function pointedAt(document: JsonObject, reference: string): Json | undefined {
  if (!reference.startsWith("#/")) return reference === "#" ? document : undefined;
  let found: Json | undefined = document;
  for (const part of reference.slice(2).split("/")) {
    const key = decoded(part).replaceAll("~1", "/").replaceAll("~0", "~");
    if (Array.isArray(found)) found = found[Number(key)];
    else if (isObject(found)) found = own(found, key);
    else return undefined;
  }
  return found;
}

/** A part of a reference as it is meant; one that is encoded badly is taken as it stands. */
function decoded(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
}

/** An object in an object; an empty one if there is none. */
export function objectAt(value: JsonObject, key: string): JsonObject {
  const found = own(value, key);
  return isObject(found) ? found : {};
}

/** A list in an object; an empty one if there is none. */
export function listAt(value: JsonObject, key: string): Json[] {
  const found = own(value, key);
  return Array.isArray(found) ? found : [];
}

/** A text in an object that is not empty. */
export function textAt(value: JsonObject, key: string): string | undefined {
  const found = own(value, key);
  return typeof found === "string" && found !== "" ? found : undefined;
}

/** The first of the named examples of a media type or a parameter. */
export function firstExample(document: JsonObject, holder: JsonObject): Json | undefined {
  const [first] = Object.values(objectAt(holder, "examples"));
  const example = deref(document, first);
  return isObject(example) ? example["value"] : undefined;
}
