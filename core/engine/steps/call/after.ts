import type { Expression } from "../../../expressions/compile.js";
import { nextLink, pageMarkOf, withParameter } from "../../../http/pages.js";
import { retryAfter } from "../../../http/retry-after.js";
import { renderTemplate } from "../../../expressions/templates.js";
import type { ValueMap } from "../../../expressions/values.js";
import { printForPeople } from "../../../values/durations.js";
import { kindOf, printJson, type Json } from "../../../values/json.js";
import { mask } from "../../../values/masking.js";
import type { Pages, ReadyCall, Until } from "../../../workflows/steps.js";
import type { EntryOf, NextRequest } from "../../entries.js";
import type { StepLog } from "../../replayed.js";
import { readsOwnSecret } from "../../secrets.js";
import { StepFailed } from "../../signals.js";
import type { Frame } from "../../frame.js";
import type { Walk } from "../../walk.js";
import type { Leg } from "./leg.js";

/** So many pages are asked for where the step does not say. */
const mostPages = 1_000;

/** What follows a successful response: another request, or nothing more. */
export interface After {
  next?: NextRequest;
  /** Milliseconds before it. */
  wait?: number;
  /** The items of this page. */
  items?: Json[];
  /** Where they stand in the body, if they are a list in it. */
  itemsAt?: string[];
  /** Whether there are more pages than were asked for. */
  more?: boolean;
}

/**
 * Whether a call goes on after a successful response: to look again until it is done, or to the next page.
 * @throws StepFailed where it cannot go on, or has taken too long
 */
export function after(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  log: StepLog,
  leg: Leg,
  entry: EntryOf<"attempt">,
): After {
  const path = frame.prefix + step.name;
  const { status, headers, body } = entry.response as NonNullable<typeof entry.response>;
  const seen: ValueMap = { status, headers, body, failure: null, repeated: false };
  const collected = step.until?.collect
    ? listOf(walk, step.until.collect, "until.collect", path, frame, entry.at, seen)
    : {};
  const look = step.until && lookAgain(walk, step.until, frame, log, leg, entry, path, seen);
  if (look) return oneOrigin({ ...look, ...collected }, step, leg, path);
  if (!step.pages) return collected;
  const { next, ...page } = onePage(walk, step.pages, frame, leg, entry, path, seen);
  if (next === undefined) return page;
  const most = step.pages.most ?? mostPages;
  if (leg.number + 1 >= most) {
    if (step.pages.most !== undefined) return { ...page, more: true };
    throw failed(path, "too-many-pages", `There are more than ${most} pages; set "pages.most" to read more.`);
  }
  if (wasAsked(log, leg, next))
    throw failed(
      path,
      "pages",
      `A page points back to one that was read before (${readsOwnSecret(walk, step, step.pages.next) ? mask : walk.secrets.masks.text(shownNext(next))}), so reading would never end.`,
    );
  return oneOrigin({ ...page, next }, step, leg, path);
}

/** Whether a page was asked for before: its URL, and what else asks for it. */
function wasAsked(log: StepLog, leg: Leg, next: NextRequest): boolean {
  const same = (one: NextRequest | undefined): boolean =>
    one?.url === next.url && printJson(one.mark?.value ?? null) === printJson(next.mark?.value ?? null);
  if (log.attempts.some((attempt) => same(attempt.next))) return true;
  return (
    next.mark === undefined &&
    (leg.request.url === next.url || (leg.number > 0 && firstUrl(log) === next.url))
  );
}

function shownNext({ url, mark }: NextRequest): string {
  return mark ? `${mark.param}: ${printJson(mark.value)}` : url;
}

function firstUrl(log: StepLog): string | undefined {
  return (log.begun?.data["request"] as { url?: string } | undefined)?.url;
}

function failed(path: string, code: string, message: string): StepFailed {
  return new StepFailed({ code, message, step: path });
}

/** A credential never goes to another origin: where the next request has one, nothing is sent. */
function oneOrigin(result: After, step: ReadyCall, leg: Leg, path: string): After {
  if (!result.next || step.using === undefined) return result;
  const [to, from] = [new URL(result.next.url), new URL(leg.request.url)];
  if (to.origin !== from.origin)
    throw failed(
      path,
      "other-origin",
      `The response leads to ${to.origin}; the credential ${step.using.join(" and ")} was sent to ${from.origin} and is not sent anywhere else.`,
    );
  return result;
}

function lookAgain(
  walk: Walk,
  until: Until,
  frame: Frame,
  log: StepLog,
  leg: Leg,
  entry: EntryOf<"attempt">,
  path: string,
  seen: ValueMap,
): After | undefined {
  if (walk.read.condition(until.done, "until.done", path, frame, entry.at, seen)) return undefined;
  const since = log.attempts.find((attempt) => attempt.next?.look !== undefined)?.at ?? entry.at;
  const asked = retryAfter(entry.response?.headers ?? {}, entry.at);
  const wait = asked ?? until.every;
  if (entry.at + wait > since + until.within)
    throw failed(
      path,
      "not-done",
      `Not done within ${printForPeople(until.within)} ("until.within"): ${until.done.text} does not hold for the last response.`,
    );
  // Where to look is decided by the first response.
  if (leg.number > 0 || !until.url)
    return { next: { url: leg.request.url, look: leg.number > 0 && until.url !== undefined }, wait };
  const template = until.url;
  const text = walk.read.guarded(path, "until.url", () =>
    renderTemplate(template, walk.read.scope(frame, seen), walk.read.surroundings(path, entry.at)),
  );
  return { next: { url: resolved(text ?? null, leg.request.url, path, "until.url"), look: true }, wait };
}

function resolved(value: Json, base: string, path: string, field: string): string {
  if (typeof value === "string" && value !== "")
    try {
      return new URL(value, base).href;
    } catch {
      // said below
    }
  throw failed(path, "bad-value", `"${field}" gave ${JSON.stringify(value)}, which is not a URL.`);
}

/** A list in a response, and where in its body it stands if it is written as a plain path. */
function listOf(
  walk: Walk,
  expression: Expression | undefined,
  field: string,
  path: string,
  frame: Frame,
  at: number,
  seen: ValueMap,
): { items: Json[]; itemsAt?: string[] } {
  const items = expression
    ? walk.read.evaluate(expression, field, path, frame, at, seen)
    : (seen["body"] as Json);
  if (!Array.isArray(items)) {
    const what = expression ? expression.text : "the body";
    const hint = expression ? "" : ' Say where they are, as in: items: "body.items"';
    throw failed(
      path,
      "not-a-list",
      `The items of a page must be a list; ${what} is ${kindOf(items)}.${hint}`,
    );
  }
  const written = expression?.text.trim() ?? "body";
  return /^body(\.[A-Za-z_]\w*)*$/.test(written)
    ? { items, itemsAt: written.split(".").slice(1) }
    : { items };
}

function onePage(
  walk: Walk,
  pages: Pages,
  frame: Frame,
  leg: Leg,
  entry: EntryOf<"attempt">,
  path: string,
  seen: ValueMap,
): { items: Json[]; itemsAt?: string[]; next: NextRequest | undefined } {
  const { headers } = entry.response as NonNullable<typeof entry.response>;
  const page = listOf(walk, pages.items, "pages.items", path, frame, entry.at, seen);
  const { items } = page;
  const { url } = leg.request;
  const marked = (value: Json): NextRequest =>
    pages.in === "query"
      ? { url: withParameter(url, pages.param, String(value)) }
      : { url, mark: { in: pages.in, param: pages.param, value } };
  const counted = (by: number): NextRequest | undefined => {
    if (items.length === 0 || items.length < (pages.size ?? 0)) return undefined;
    const now = Number(pageMarkOf(leg.request, pages.in, pages.param) ?? (pages.by === "page" ? 1 : 0));
    return marked((Number.isFinite(now) ? now : 0) + by);
  };
  switch (pages.by) {
    case "page":
      return { ...page, next: counted(1) };
    case "offset":
      return { ...page, next: counted(items.length) };
    case "link": {
      const link = pages.next
        ? walk.read.evaluate(pages.next, "pages.next", path, frame, entry.at, seen)
        : (nextLink(headers["link"]) ?? null);
      return {
        ...page,
        next: link === null || link === "" ? undefined : { url: resolved(link, url, path, "pages.next") },
      };
    }
    case "cursor": {
      const cursor = pages.next
        ? walk.read.evaluate(pages.next, "pages.next", path, frame, entry.at, seen)
        : null;
      if (cursor === null || cursor === "" || cursor === false) return { ...page, next: undefined };
      return { ...page, next: marked(cursor) };
    }
  }
}
