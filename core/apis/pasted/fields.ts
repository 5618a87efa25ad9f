import { own, setOwn, type Json, type JsonObject } from "../../values/json.js";

/** Adds a field of a form or a header; a name that repeats becomes a list. */
export function addField(fields: JsonObject, name: string, value: Json): void {
  const known = own(fields, name);
  setOwn(fields, name, known === undefined ? value : [known, value].flat());
}
