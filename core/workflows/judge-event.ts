import { finished } from "../values/in-steps.js";
import type { Expression } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { evaluateToJson } from "../expressions/templates.js";
import { derivedUuid } from "../values/digest.js";
import { bounds } from "../values/bounds.js";
import { aKind, canonicalJson, isObject, printJson, type Json, type JsonObject } from "../values/json.js";
import { renderValue, type ValueTemplate } from "./steps.js";
import type { ReadItem } from "../triggers/poll.js";
import type { PollTrigger, ReadyTrigger } from "./triggers.js";

/** What a trigger brought, as expressions of the file see it, and what is the same in all of them. */
export interface Brought {
  trigger: JsonObject;
  constants: JsonObject;
  /** The event's id; ids that its expressions make follow from it. */
  id: string;
  /** When it came, in milliseconds since 1970. */
  at: number;
  /** Further names in scope. */
  more?: JsonObject;
}

/**
 * What is to become of an event: a start with its inputs, and with what is the same in a repeat, and in runs that go one after
 * another; or why there is none.
 */
export type Judged =
  | { what: "start"; inputs: JsonObject; key?: string; turn?: string }
  | { what: "left-out"; reason: string }
  | { what: "refused"; reason: string };

/** Judges an event by its trigger's own keys. */
export function judgeEvent(ready: ReadyTrigger, brought: Brought): Judged {
  try {
    if (ready.onlyIf) {
      const holds = evaluateIn(ready.onlyIf, brought);
      if (typeof holds !== "boolean")
        return refused(`"only-if" must be true or false, but it is ${aKind(holds)}.`);
      if (!holds) return { what: "left-out", reason: `"only-if" is false: ${ready.onlyIf.text}` };
    }
    const inputs = ready.inputs ? renderIn(ready.inputs, brought) : {};
    if (!isObject(inputs)) return refused(`"inputs" must be a mapping, but they are ${aKind(inputs)}.`);
    const key = ready.kind === "webhook" && ready.oncePer ? evaluateIn(ready.oncePer, brought) : undefined;
    if (isBlank(key))
      return refused('"once-per" gives nothing, so a repeat of this event could not be told.');
    const turn = ready.oneAtATime ? renderIn(ready.oneAtATime, brought) : undefined;
    if (isBlank(turn))
      return refused('"one-at-a-time" gives nothing, so it is not clear what goes before it.');
    return {
      what: "start",
      inputs,
      ...(key === undefined ? {} : { key: textOf(key) }),
      ...(turn === undefined ? {} : { turn: textOf(turn) }),
    };
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return refused(error.message);
  }
}

/** An item of a delivery that holds many. */
export interface DeliveredItem {
  item: Json;
  /** What is the same in a repeat of it. */
  id?: string;
}

/**
 * The items of a delivery, in their order; one that comes twice counts once.
 * @returns undefined where the delivery is one thing
 */
export function itemsOf(
  ready: ReadyTrigger,
  brought: Brought,
): DeliveredItem[] | { fault: string; tooMany?: true } | undefined {
  if (ready.kind !== "webhook" || !ready.items) return undefined;
  try {
    const list = evaluateIn(ready.items, brought);
    if (!Array.isArray(list)) return { fault: `"items" must be a list, but it is ${aKind(list)}.` };
    if (list.length > bounds.deliveredItems)
      return {
        fault: `A delivery may hold ${bounds.deliveredItems} items, but this one holds ${list.length}.`,
        tooMany: true,
      };
    if (!ready.idOf) return list.map((item) => ({ item }));
    const found = new Map<string, DeliveredItem>();
    for (const [index, item] of list.entries()) {
      const id = idOfItem(ready.idOf, item, brought);
      if ("fault" in id) return { fault: `"id-of", item ${index + 1}: ${id.fault}` };
      if (!found.has(id.text)) found.set(id.text, { item, id: id.text });
    }
    return [...found.values()];
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return { fault: error.message };
  }
}

function idOfItem(idOf: Expression, item: Json, brought: Brought): { text: string } | { fault: string } {
  try {
    const id = evaluateToJson(idOf, { ...scopeOf(brought), item }, surroundings(brought)) ?? null;
    return isBlank(id) ? { fault: "It gives nothing." } : { text: idText(id) };
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return { fault: error.message };
  }
}

/** Evaluates an expression of a trigger: it sees what the trigger brought, and the constants. */
export function evaluateIn(expression: Expression, brought: Brought): Json {
  return evaluateToJson(expression, scopeOf(brought), surroundings(brought)) ?? null;
}

/** Renders a value of a trigger. */
export function renderIn(value: ValueTemplate, brought: Brought): Json {
  return renderValue(value, scopeOf(brought), surroundings(brought)) ?? null;
}

/** What a look of a poll read, or why it could not be understood. */
export type ReadLook = { items: ReadItem[]; mark: Json } | { fault: string };

/**
 * What a look of a poll read: its items with what tells them apart, and what its mark may become.
 * @param outcome of its call
 */
export function readOf(ready: PollTrigger, outcome: JsonObject, around: Omit<Brought, "trigger">): ReadLook {
  return finished(readInSteps(ready, outcome, around));
}

/** The same, with a pause behind each item: an API may give a hundred thousand of them. */
export function* readInSteps(
  ready: PollTrigger,
  outcome: JsonObject,
  { constants, id, at }: Omit<Brought, "trigger">,
): Generator<undefined, ReadLook, undefined> {
  const around = surroundings({ id, at, trigger: {}, constants });
  const give = (expression: Expression, scope: JsonObject): Json =>
    evaluateToJson(expression, { ...scope, constants }, around) ?? null;
  try {
    const whole = { status: null, headers: {}, body: null, items: outcome["items"] ?? null, ...outcome };
    const list = ready.items ? give(ready.items, whole) : (outcome["items"] ?? outcome["body"] ?? null);
    if (!Array.isArray(list)) return { fault: `"items" must be a list, but it is ${aKind(list)}.` };
    const items: ReadItem[] = [];
    for (const [index, item] of list.entries()) {
      if (ready.ignore && give(ready.ignore, { item }) === true) continue;
      const found = ready.idOf ? give(ready.idOf, { item }) : item;
      if (found === null) return { fault: `"id-of" gives nothing for the item ${index + 1}.` };
      const changed = ready.changed ? canonicalJson(give(ready.changed, { item })) : null;
      items.push({ id: idText(found), changed, item });
      yield;
    }
    return { items, mark: ready.mark ? give(ready.mark.value, whole) : null };
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return { fault: error.message };
  }
}

/** An id as a text: of a list or a mapping the same whatever the order of its keys. */
function idText(found: Json): string {
  if (typeof found === "string") return found;
  return isObject(found) || Array.isArray(found) ? canonicalJson(found) : printJson(found);
}

const scopeOf = ({ trigger, constants, more }: Brought) => ({ ...more, trigger, constants });
const surroundings = ({ id, at }: Brought) => ({
  now: () => at,
  uuid: (place: string, count: number) => derivedUuid(id, "", place, count),
});
const isBlank = (value: Json | undefined): boolean =>
  value === null || (typeof value === "string" && value.trim() === "");
const textOf = (value: Json): string => (typeof value === "string" ? value : printJson(value));
const refused = (reason: string): Judged => ({ what: "refused", reason });
