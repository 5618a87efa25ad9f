import { ExpressionError } from "../expressions/errors.js";
import type { Surroundings } from "../expressions/evaluation.js";
import {
  evaluateToJson,
  partText,
  renderTemplate,
  type Template,
  type TemplatePart,
} from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { RequestRefused } from "../http/message.js";
import { renderUrl } from "../http/url-template.js";
import { briefJson } from "../values/brief.js";
import { percentEncode } from "../values/encodings.js";
import type { Json } from "../values/json.js";
import { callRequest } from "../workflows/call-request.js";
import type { ReadyCall, ValueTemplate } from "../workflows/steps.js";

/** The HTTP message that a call makes, as far as the values at hand make it. */
export interface CallMessage {
  method: string;
  url: string;
  headers: [string, string][];
  /** As text; missing where there is none, or where files are part of it. */
  body?: string;
  /** The credentials that authorize it. */
  using: string[];
  /** Why the message is not whole: the field, and what is wrong with it. */
  fault?: { field: string; message: string };
}

/** So many characters of a value, and of a body, are shown; a larger value stands as the expression that gives it. */
const mostShown = 100_000;
const shortened = (body: string): string => (body.length > mostShown ? `${body.slice(0, mostShown)}…` : body);

/** Thrown where the rest of a message cannot be made. */
class Unmade extends Error {
  constructor(
    readonly field: string,
    message: string,
  ) {
    super(message);
  }
}

/**
 * The message that a call makes with some values. An expression for which they hold nothing, or more than anybody reads,
 * stands in it as it is written.
 */
export function callMessage(step: ReadyCall, scope: ValueMap, surroundings: Surroundings): CallMessage {
  const readable = (template: Template): TemplatePart[] =>
    template.parts.map((part) => {
      if ("text" in part || gives(() => partText(part, scope, surroundings)) !== undefined) return part;
      return { text: textOf(part) };
    });
  let url = "";
  /** What stands in the URL as it is written. */
  let unknown: TemplatePart | undefined;
  /** What stands elsewhere as it is written, by its form in a query. */
  const written = new Map<string, string>();
  const shown = (value: ValueTemplate): Json | undefined => {
    if ("constant" in value) return value.constant;
    if ("list" in value) return value.list.map(shown).filter((item) => item !== undefined);
    if ("entries" in value) {
      const entries = value.entries.map(([key, inner]) => [key, shown(inner)] as const);
      return Object.fromEntries(entries.filter(([, inner]) => inner !== undefined)) as Json;
    }
    const { template } = value;
    const found = gives(() => ({ value: renderTemplate(template, scope, surroundings) }));
    const isShown = found && briefJson(found.value ?? null, mostShown).length < mostShown;
    if (isShown) return found.value;
    written.set(percentEncode(template.source), template.source);
    return template.source;
  };
  try {
    const { request } = callRequest(step, {
      value: (_field, template) => shown(template) ?? null,
      url() {
        const parts = readable(step.url);
        unknown = step.url.parts.find((part, index) => part !== parts[index]);
        url = parts
          .map((part) => ("text" in part ? part.text : partText(part, scope, surroundings)))
          .join("");
        return renderUrl({ ...step.url, parts }, scope, surroundings);
      },
      expression: (_field, expression) =>
        gives(() => evaluateToJson(expression, scope, surroundings) ?? null) ?? expression.text,
      key: () =>
        (step.idempotency?.key && shown({ template: step.idempotency.key })) ??
        surroundings.uuid("idempotency", 0),
      part(field, run) {
        try {
          return run();
        } catch (error) {
          if (!(error instanceof RequestRefused)) throw error;
          // An address that is not one yet says less than what it lacks.
          const isNone = field === "request" && !/^https?:/i.test(url);
          throw new Unmade(
            field,
            unknown && isNone ? `${textOf(unknown)} has no value here.` : error.message,
          );
        }
      },
      now: surroundings.now(),
    });
    const { method, headers, body } = request;
    return {
      method,
      url: request.url.replace(/(?<==)[^&#]+/g, (text) => written.get(text) ?? text),
      headers,
      ...(typeof body === "string" ? { body: shortened(body) } : {}),
      using: step.using ?? [],
    };
  } catch (error) {
    if (!(error instanceof Unmade)) throw error;
    const { described, method } = step;
    return {
      method,
      url: described ? `${described.server}${described.operation.path}` : url,
      headers: [],
      using: step.using ?? [],
      fault: { field: error.field, message: error.message },
    };
  }
}

/** A part of a template as it is written. */
const textOf = (part: TemplatePart): string =>
  "text" in part ? part.text : `\${${part.expression.text.trim()}}`;

/** What something gives; undefined where an expression in it fails. */
function gives<T>(run: () => T): T | undefined {
  try {
    return run();
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return undefined;
  }
}
