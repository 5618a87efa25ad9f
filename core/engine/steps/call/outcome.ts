import { cookiesOf } from "../../../http/cookies.js";
import type { Json, JsonObject } from "../../../values/json.js";
import type { StepLog } from "../../replayed.js";

/** The outcome of a call that has ended well, from what the journal holds of its last attempt. */
export function outcomeOf(log: StepLog): JsonObject {
  const last = log.attempts.at(-1);
  const response = last?.response;
  if (!last || !response) return {};
  return {
    status: response.status,
    headers: response.headers as JsonObject,
    body: response.body,
    ...textOf(response),
    url: response.url,
    cookies: cookiesOf(response.headers["set-cookie"]),
    took: last.at - last.sentAt,
    attempts: last.attempt,
    ...(response.listed && Array.isArray(response.body)
      ? { items: response.body, more: response.more === true }
      : {}),
    ...(response.unchanged ? { unchanged: true } : {}),
    ...pagesOf(log),
  };
}

/** The items of all pages. */
function pagesOf(log: StepLog): { items?: Json[]; more?: boolean } {
  const last = log.attempts.at(-1);
  if (!last?.items) return {};
  const items =
    log.attempts.length === 1 ? last.items : log.attempts.flatMap((attempt) => attempt.items ?? []);
  return { items, more: last.more === true };
}

/** The body as a text, where it is one or was read from one. */
function textOf({ body, text }: { body: Json; text?: string }): { text?: string } {
  if (text !== undefined) return { text };
  return typeof body === "string" ? { text: body } : {};
}
