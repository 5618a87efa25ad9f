import type { Expression } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { evaluateToJson } from "../expressions/templates.js";
import { derivedUuid } from "../values/digest.js";
import { isObject, printJson, type Json, type JsonObject } from "../values/json.js";
import { renderValue, type ValueTemplate } from "./steps.js";
import type { ReadyTrigger } from "./triggers.js";

/** What a trigger brought, as expressions of the file see it, and what is the same in all of them. */
export interface Brought {
  trigger: JsonObject;
  constants: JsonObject;
  /** The event's id; ids that its expressions make follow from it. */
  id: string;
  /** When it came, in milliseconds since 1970. */
  at: number;
}

/** What is to become of an event: a start with its inputs, and with what is the same in a repeat; or why there is none. */
export type Judged =
  | { what: "start"; inputs: JsonObject; key?: string }
  | { what: "left-out"; reason: string }
  | { what: "refused"; reason: string };

/** Judges an event by its trigger's own keys. */
export function judgeEvent(ready: ReadyTrigger, brought: Brought): Judged {
  try {
    if (ready.onlyIf) {
      const holds = evaluateIn(ready.onlyIf, brought);
      if (typeof holds !== "boolean")
        return refused(`"only-if" must be true or false, but it is ${shown(holds)}.`);
      if (!holds) return { what: "left-out", reason: `"only-if" is false: ${ready.onlyIf.text}` };
    }
    const inputs = ready.inputs ? renderIn(ready.inputs, brought) : {};
    if (!isObject(inputs)) return refused(`"inputs" must be a mapping, but they are ${shown(inputs)}.`);
    if (ready.kind !== "webhook" || !ready.oncePer) return { what: "start", inputs };
    const key = evaluateIn(ready.oncePer, brought);
    if (key === null || (typeof key === "string" && key.trim() === ""))
      return refused('"once-per" gives nothing, so a repeat of this event could not be told.');
    return { what: "start", inputs, key: typeof key === "string" ? key : printJson(key) };
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return refused(error.message);
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

const scopeOf = ({ trigger, constants }: Brought) => ({ trigger, constants });
const surroundings = ({ id, at }: Brought) => ({
  now: () => at,
  uuid: (place: string, count: number) => derivedUuid(id, "", place, count),
});
const refused = (reason: string): Judged => ({ what: "refused", reason });
const shown = (value: Json): string => printJson(value).slice(0, 60);
