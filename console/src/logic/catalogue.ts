import { apisRoutes, triggerEventsRoutes } from "@copper-kettle/contract";
import { readApi, type Catalogue, type JsonObject, type Operation } from "@copper-kettle/core";
import { api } from "../api.js";

type Known =
  | { document: JsonObject; operations: Operation[]; servers: string[]; credential?: string | undefined }
  | undefined;

/** The APIs that were asked for, by name: what the document says, or nothing if there is none. */
const asked = new Map<string, Promise<Known>>();
/** The shapes of what triggers bring, by workflow. */
const askedShapes = new Map<string, Promise<Record<string, JsonObject>>>();
/** APIs change seldom; after this many milliseconds they are asked for again. */
const freshMillis = 60_000;

/** The described APIs that a file calls, so that completion knows the shapes of their responses. */
export async function catalogueOf(text: string): Promise<Catalogue> {
  const names = new Set(
    [...text.matchAll(/\boperation:\s*["']?([a-z0-9][a-z0-9-]*)\./g)].map(([, name]) => name as string),
  );
  const found = new Map<string, Known>();
  await Promise.all([...names].map(async (name) => found.set(name, await describedApi(name))));
  const workflow = /^name:\s*["']?([a-z0-9-]+)/m.exec(text)?.[1];
  const shapes = workflow === undefined ? {} : await loadShapes(workflow);
  return {
    brought: (name, trigger) => (name === workflow ? (shapes[trigger] ?? shapes["draft"]) : undefined),
    apis: () => [...found.keys()],
    operations: (name) => found.get(name)?.operations,
    document: (name) => found.get(name)?.document,
  };
}

function loadShapes(name: string): Promise<Record<string, JsonObject>> {
  let loading = askedShapes.get(name);
  if (!loading) {
    loading = api.call(triggerEventsRoutes.triggerShapes, { params: { name } }).then(
      ({ shapes }) => shapes as Record<string, JsonObject>,
      () => ({}),
    );
    askedShapes.set(name, loading);
    setTimeout(() => askedShapes.delete(name), freshMillis);
  }
  return loading;
}

/** A sample was saved: what was asked for is out of date. */
export const forgetShapes = (workflow: string): boolean => askedShapes.delete(workflow);

/** What the document of an API says; undefined if there is none. Asked for once, and again after a while. */
export function describedApi(name: string): Promise<Known> {
  let loading = asked.get(name);
  if (!loading) {
    loading = api.call(apisRoutes.apiDocument, { params: { name } }).then(
      (document) => {
        const { operations, servers, credential } = readApi(document as JsonObject);
        return { document: document as JsonObject, operations, servers, credential };
      },
      () => undefined,
    );
    asked.set(name, loading);
    setTimeout(() => asked.delete(name), freshMillis);
  }
  return loading;
}
