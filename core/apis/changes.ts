import { printJson, type Json } from "../values/json.js";
import type { Api, Operation, Parameter } from "./openapi.js";

/** How an operation differs between two revisions of its API. */
export interface OperationChange {
  id: string;
  method: string;
  path: string;
  what: "added" | "removed" | "altered";
  /** What is different, in plain words; empty for what was added or removed whole. */
  details: string[];
}

/** What is different in a newer document of an API. Operations are the same where method and path are. */
export function apiChanges(before: Api, after: Api): OperationChange[] {
  const key = ({ method, path }: Operation) => `${method} ${path}`;
  const old = new Map(before.operations.map((operation) => [key(operation), operation]));
  const fresh = new Map(after.operations.map((operation) => [key(operation), operation]));
  const change = (
    { id, method, path }: Operation,
    what: OperationChange["what"],
    details: string[] = [],
  ) => ({
    id,
    method,
    path,
    what,
    details,
  });
  const changes: OperationChange[] = [];
  for (const [name, operation] of old) {
    const now = fresh.get(name);
    if (!now) changes.push(change(operation, "removed"));
    else {
      const details = alterations(operation, now);
      if (details.length > 0) changes.push(change(operation, "altered", details));
    }
  }
  for (const [name, operation] of fresh) if (!old.has(name)) changes.push(change(operation, "added"));
  return changes;
}

function alterations(before: Operation, after: Operation): string[] {
  const details: string[] = [];
  if (before.id !== after.id) details.push(`it is now called ${after.id}`);
  const old = new Map(before.parameters.map((parameter) => [parameter.name, parameter]));
  const fresh = new Map(after.parameters.map((parameter) => [parameter.name, parameter]));
  for (const [name, parameter] of old) {
    const now = fresh.get(name);
    if (!now) details.push(`parameter ${name} is gone`);
    else details.push(...parameterAlterations(parameter, now));
  }
  for (const [name, { required }] of fresh)
    if (!old.has(name)) details.push(`parameter ${name} is new${required ? " and required" : ""}`);
  if (differs(before.body ?? null, after.body ?? null)) details.push("its body changed");
  if (differs(before.responses as unknown as Json, after.responses as unknown as Json))
    details.push("its responses changed");
  if (before.effect !== after.effect) details.push(`its effect is ${after.effect}, not ${before.effect}`);
  if (differs((before.pages ?? null) as Json, (after.pages ?? null) as Json))
    details.push("its pages changed");
  if (differs(before.scopes, after.scopes))
    details.push(`it needs the scopes ${after.scopes.join(" ") || "none"}`);
  if (!before.deprecated && after.deprecated) details.push("it is deprecated");
  return details;
}

function parameterAlterations(before: Parameter, after: Parameter): string[] {
  const { name } = before;
  const details: string[] = [];
  if (before.in !== after.in)
    details.push(`parameter ${name} goes into the ${after.in}, not the ${before.in}`);
  if (before.required !== after.required)
    details.push(`parameter ${name} is ${after.required ? "required now" : "no longer required"}`);
  if (differs(before.schema, after.schema)) details.push(`parameter ${name} has another schema`);
  return details;
}

function differs(before: unknown, after: unknown): boolean {
  return printJson(before) !== printJson(after);
}
