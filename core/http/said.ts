import { isObject, type Json } from "../values/json.js";

/** The fields in which bodies say in words what is wrong, the most exact one first. */
const wordy = ["error_description", "message", "detail", "reason", "error", "title"];

/** What the body of a response says in words, as many do; undefined if it has no field for that. */
export function saidIn(body: Json): string | undefined {
  if (!isObject(body)) return undefined;
  const text = wordy.map((name) => body[name]).find((value) => typeof value === "string" && value !== "");
  return typeof text === "string" ? text : undefined;
}
