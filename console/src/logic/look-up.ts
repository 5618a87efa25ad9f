import { isObject, type Json, type RecordedRequest } from "@copper-kettle/core";
import type { Row } from "./waterfall.js";

/** A call of the run that reads from the same server as an unsure one: sent again, it shows what is there now. */
export interface LookUp {
  step: string;
  method: string;
  url: string;
  using: string | undefined;
}

export const requestOf = (row: Row | undefined): RecordedRequest | undefined =>
  row?.begun?.data["request"] as unknown as RecordedRequest | undefined;

/** The last call before the unsure one that read from its host; undefined if there is none. */
export function lookUpFor(rows: readonly Row[], unsure: Row): LookUp | undefined {
  const host = hostOf(requestOf(unsure)?.url);
  const before = rows.filter(
    (row) =>
      row.begun?.data["effect"] === "reads" &&
      row.state === "succeeded" &&
      hostOf(requestOf(row)?.url) === host &&
      requestOf(row)?.method === "GET",
  );
  const found = before.findLast((row) => row.from <= unsure.from);
  const request = requestOf(found);
  if (!found || !request) return undefined;
  const using = found.begun?.data["using"];
  return {
    step: found.name,
    method: request.method,
    url: request.url,
    using: typeof using === "string" ? using : undefined,
  };
}

const hostOf = (url: string | undefined): string => /^https?:\/\/([^/]+)/.exec(url ?? "")?.[1] ?? "";

/** What a look-up gave, as the response of the unsure call: of a list with one item, that item. */
export function responseFrom(body: Json): Json {
  const lists = Array.isArray(body)
    ? [body]
    : isObject(body)
      ? Object.values(body).filter((one): one is Json[] => Array.isArray(one))
      : [];
  const [only] = lists.length === 1 ? (lists[0] ?? []) : [];
  return lists.length === 1 && lists[0]?.length === 1 && only !== undefined ? only : body;
}

/** Whether an API would know the request again: it has a key for that. */
export const hasKey = (row: Row): boolean =>
  (requestOf(row)?.headers ?? []).some(([name]) => /^idempotency-key$/i.test(name));
