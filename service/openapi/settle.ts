import { isObject, type Json, type JsonObject } from "@copper-kettle/core";

/** What a person says beside a document. */
export interface Beside {
  server?: string | undefined;
  credential?: string | undefined;
  /** Whether the effects, pages and other rules that a fetched document says of its operations are taken. */
  rules?: boolean | undefined;
}

/** A rule of a document that was left out, and how often it is there. */
export interface LeftOut {
  rule: string;
  count: number;
}

/**
 * A document with what was said beside it: server and credential; relative servers are made whole by where it came from.
 * A document steers no trust: the credential that it names counts only if its API has that one already, and rules out of a
 * fetched one are taken only if a person says so.
 * @param source where it was fetched; null if its text was given
 * @param before the credential that the API has
 */
export function settled(
  document: JsonObject,
  { server, credential, rules }: Beside,
  source: string | null,
  before: string | undefined,
): { document: JsonObject; notes: string[]; leftOut: LeftOut[] } {
  const notes: string[] = [];
  const dropped = new Map<string, number>();
  const isKept = (key: string): boolean => {
    if (!key.startsWith("x-ckettle-")) return true;
    if (key !== "x-ckettle-network" && (source === null || rules === true)) return true;
    dropped.set(key, (dropped.get(key) ?? 0) + 1);
    return false;
  };
  const { "x-ckettle-credential": named, ...rest } = document;
  const kept = withoutKeys(rest, isKept);
  if (dropped.size > 0)
    notes.push(
      `The document has rules of its own, which were left out: ${[...dropped].map(([key, count]) => `${key} (${count})`).join(", ")}. Check them, then import the document again with its rules.`,
    );
  const chosen = credential ?? (named === before ? before : undefined);
  if (named !== undefined && chosen !== named)
    notes.push(
      `The document names the credential ${JSON.stringify(named)}, which was left out. Give the API its credential yourself.`,
    );
  const whole = withServers(kept, source, true);
  const servers = Array.isArray(whole["servers"]) ? whole["servers"] : [];
  return {
    notes,
    leftOut: [...dropped].map(([rule, count]) => ({ rule, count })),
    document: {
      ...whole,
      ...(server === undefined
        ? {}
        : {
            servers: [
              { url: server },
              ...servers.filter((item) => !isObject(item) || item["url"] !== server),
            ],
          }),
      ...(chosen === undefined ? {} : { "x-ckettle-credential": chosen }),
    },
  };
}

/** The same without some keys, wherever they stand; what is shared stays shared. */
function withoutKeys(document: JsonObject, isKept: (key: string) => boolean): JsonObject {
  const seen = new Map<object, Json>();
  const copy = (value: Json): Json => {
    if (!Array.isArray(value) && !isObject(value)) return value;
    const known = seen.get(value);
    if (known !== undefined) return known;
    const made = Array.isArray(value)
      ? value.map(copy)
      : Object.fromEntries(
          Object.entries(value).flatMap(([key, inner]) => (isKept(key) ? [[key, copy(inner)]] : [])),
        );
    seen.set(value, made);
    return made;
  };
  return copy(document) as JsonObject;
}

/** Relative servers of a document, its paths and operations, resolved against where it came from (OpenAPI 3.1, 4.8.5). */
function withServers(holder: JsonObject, source: string | null, isWhole = false): JsonObject {
  if (source === null) return holder;
  const servers = Array.isArray(holder["servers"]) ? holder["servers"] : [];
  const made = servers.map((item) => {
    const url = isObject(item) ? item["url"] : undefined;
    const relative = typeof url === "string" && !/^[a-z][a-z0-9+.-]*:|^\{/i.test(url);
    return relative ? { ...(item as JsonObject), url: new URL(url, source).href } : item;
  });
  // A document without servers is served by its own host.
  if (isWhole && servers.length === 0) made.push({ url: new URL("/", source).href });
  const inner = isWhole ? holder["paths"] : undefined;
  const paths: JsonObject = isObject(inner)
    ? {
        paths: Object.fromEntries(
          Object.entries(inner).map(([path, item]) => [path, isObject(item) ? ofPath(item, source) : item]),
        ),
      }
    : {};
  return { ...holder, ...(made.length > 0 ? { servers: made } : {}), ...paths };
}

function ofPath(item: JsonObject, source: string): JsonObject {
  const inner = Object.entries(item).map(([key, value]): [string, Json] => [
    key,
    isObject(value) && Array.isArray(value["servers"]) ? withServers(value, source) : value,
  ]);
  return withServers(Object.fromEntries(inner), source);
}
