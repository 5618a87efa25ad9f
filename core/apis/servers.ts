import { isObject, own, type JsonObject } from "../values/json.js";
import type { Api } from "./openapi.js";
import { listAt, objectAt } from "./references.js";

/**
 * The addresses that a document, a path or an operation names (OpenAPI 3.1, section 4.8.5), their variables filled with
 * their defaults, without a slash at the end. What is not an address is left out, and said.
 */
export function serversOf(holder: JsonObject, notes: string[]): string[] {
  return listAt(holder, "servers").flatMap((server) => {
    if (!isObject(server) || typeof server["url"] !== "string") return [];
    const variables = objectAt(server, "variables");
    const filled = server["url"].replace(/\{([^}]+)\}/g, (whole, name: string) => {
      const variable = own(variables, name);
      return isObject(variable) && variable["default"] !== undefined ? String(variable["default"]) : whole;
    });
    // Relative to a document whose own address is not known: the scheme is taken for the usual one.
    const url = (filled.startsWith("//") ? `https:${filled}` : filled).trim().replace(/\/+$/, "");
    const fault = faultOf(url);
    if (fault !== undefined) notes.push(`The server "${server["url"]}" ${fault}`);
    return fault === undefined ? [url] : [];
  });
}

function faultOf(url: string): string | undefined {
  if (/\{[^}]+\}/.test(url)) return "has a part that must be filled in. Give the address of the API.";
  if (url === "" || url.startsWith("/")) return "names no host. Give the address of the API.";
  if (!/^https?:\/\//i.test(url) || !isUrl(url) || /^https?:\/\/[^/]*:(\/|$)/i.test(url))
    return "is not an address that begins with https:// or http://.";
  return undefined;
}

function isUrl(text: string): boolean {
  try {
    return new URL(text).hostname !== "";
  } catch {
    return false;
  }
}

/** Every address that calls of an API may go to. */
export function allServers({ servers, operations }: Pick<Api, "servers" | "operations">): string[] {
  return [
    ...new Set([...servers, ...operations.flatMap(({ server }) => (server === undefined ? [] : [server]))]),
  ];
}

/** Where an operation goes: to its own address, or to that of its API. */
export function serverFor(api: { servers: string[] }, operation: { server?: string }): string | undefined {
  return operation.server ?? api.servers[0];
}
