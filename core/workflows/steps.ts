import type { ReadyTrigger } from "./triggers.js";
import type { Expression } from "../expressions/compile.js";
import type { Surroundings } from "../expressions/evaluation.js";
import { renderTemplate, type Template } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import type { ResponseToCompare } from "../apis/responses.js";
import type { BodyField } from "../apis/body-fields.js";
import type { Operation } from "../apis/openapi.js";
import type { Mismatch } from "../shapes/drift.js";
import type { Effect } from "../http/effect.js";
import type { BodyReading } from "../http/read-body.js";
import type { PagePlace } from "../http/pages.js";
import type { RetryPlan } from "../http/retry.js";
import { setOwn, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";

/** A value of the file, its templates made ready. */
export type ValueTemplate =
  | { constant: Json }
  | { template: Template }
  | { list: ValueTemplate[] }
  | { entries: [string, ValueTemplate][] };

/** Renders a value; what gives nothing (an empty optional) is left out of its list or object. */
export function renderValue(
  value: ValueTemplate,
  scope: ValueMap,
  surroundings: Surroundings,
): Json | undefined {
  if ("constant" in value) return value.constant;
  if ("template" in value) return renderTemplate(value.template, scope, surroundings);
  if ("list" in value) {
    return value.list
      .map((item) => renderValue(item, scope, surroundings))
      .filter((item) => item !== undefined);
  }
  const object: JsonObject = {};
  for (const [key, inner] of value.entries) {
    const rendered = renderValue(inner, scope, surroundings);
    if (rendered !== undefined) setOwn(object, key, rendered);
  }
  return object;
}

export interface StepBase {
  name: string;
  title?: string;
  /** The line of the file on which the step begins. */
  line: number;
  /** Whether it runs at all; else it is skipped. */
  onlyIf?: Expression;
  /** Steps that run where it failed in the end; the run then goes on. */
  catch?: Step[];
  /** Whether the run goes on where it failed. */
  keepGoing?: boolean;
  /** The longest that it may take, in milliseconds. */
  within?: number;
  /** The places of its outcome that are secret; the whole of it where it is an empty path. */
  secret?: Path[];
  /** Every path that the step's own fields read; for finding what depends on a secret. */
  reads: string[][];
}

export type BodyKind = "json" | "json-lines" | "form" | "multipart" | "text" | "xml" | "graphql" | "file";

export type CallStep = StepBase & {
  kind: "request";
  /** Empty where an operation says it. */
  method: string;
  url: Template;
  /** The operation of a described API that is called, instead of method and URL. */
  operation?: { api: string; id: string };
  parameters?: ValueTemplate;
  /** Credentials, in the order in which they are applied. */
  using?: string[];
  query?: ValueTemplate;
  headers?: ValueTemplate;
  cookies?: ValueTemplate;
  body?: { kind: BodyKind; value: ValueTemplate };
  /** Missing where an operation says it. */
  effect?: Effect;
  /** Milliseconds. */
  timeout: { connect: number; response: number };
  redirects: "follow" | "none" | "resend";
  /** The outcome of an earlier step, whose ETag or Last-Modified the call is made conditional by. */
  conditions?: { ifMatch?: Expression; ifNoneMatch?: Expression };
  /** Whether a response that does not match its schema fails the step. */
  strict?: boolean;
  success?: Expression;
  retry: RetryPlan & { when?: Expression; onlyWhen?: Expression; after?: Expression };
  /** How to read the body, over what its media type says. */
  read?: BodyReading;
  /** Ends the reading of a list of events or lines. */
  stopWhen?: Expression;
  idempotency?: Idempotency;
  /** What to do where nobody knows whether the call arrived. */
  ifUnsure: "ask" | "repeat" | "fail" | "probe";
  probe?: { call: CallStep; happened: Expression; outcome?: Expression };
  /** `all`: as the document of the operation says. */
  pages?: Pages | "all";
  until?: Until;
  whenLimited: "wait" | "skip";
};

/** The key by which an API knows a repeat. Without `key`: one of this step in this run. */
export interface Idempotency {
  key?: Template;
  in: "header" | "query" | "body";
  name: string;
}

/** How the responses of one call go on over several pages. */
export interface Pages {
  by: "link" | "cursor" | "page" | "offset";
  items?: Expression;
  next?: Expression;
  /** The query parameter, header or field of the body that says which page. */
  param: string;
  in: PagePlace;
  size?: number;
  /** Missing: a bound of ours, past which the step fails. */
  most?: number;
}

/** Asking again until something holds; times in milliseconds. */
export interface Until {
  done: Expression;
  /** What each response adds to the items. */
  collect?: Expression;
  every: number;
  within: number;
  url?: Template;
}

/** A call whose operation, where it has one, is known. */
export type ReadyCall = Omit<CallStep, "pages"> & {
  effect: Effect;
  described?: DescribedTarget;
  pages?: Pages;
};

/** What a call of an operation goes by, as the document of its API says. */
export interface DescribedTarget {
  operation: Operation;
  /** The address of the API, without a slash at its end. */
  server: string;
  /** The fields of its body that a step may give by name. */
  fields?: BodyField[];
  /** Where a response departs from the shape that the document gives it. */
  mismatches?: (answer: ResponseToCompare) => Mismatch[];
  /**
   * A JSON body with the fields that the document fixes.
   * @throws RequestRefused if one of them was given another value
   */
  withFixedFields?: (body: Json | undefined) => Json | undefined;
  /** A response as one may look, for a rehearsal. */
  example?: () => { status: number; body: Json } | undefined;
}

export type IfStep = StepBase & {
  kind: "if";
  /** The first that holds is taken. `chose` is what the journal and the outcome call it. */
  cases: { condition: Expression; then: Step[]; chose: "then" | number }[];
  else: Step[];
};
export type GroupStep = StepBase & { kind: "group"; steps: Step[] };
export type EachStep = StepBase & {
  kind: "each";
  list: Expression;
  as: string;
  parallel: number;
  steps: Step[];
  collect?: Expression;
  ifOneFails: "stop" | "continue";
  /** The longest list that is taken. */
  limit: number;
};
export type TogetherStep = StepBase & {
  kind: "together";
  branches: { name: string; steps: Step[] }[];
  ifOneFails: "stop" | "continue";
};
export type EnsureStep = StepBase & {
  kind: "ensure";
  find: CallStep;
  found?: Expression;
  record?: Expression;
  create?: CallStep;
  update?: CallStep;
  updateIf?: Expression;
  lock?: Template;
  many: "fail" | "first";
};
/** A run of another workflow. */
export type WorkflowStep = StepBase & {
  kind: "workflow";
  called: string;
  inputs?: ValueTemplate;
  /** Whether the step ends when that run has started. */
  inBackground: boolean;
};
export type RememberStep = StepBase & {
  kind: "remember";
  key: Template;
  values?: ValueTemplate;
  add?: ValueTemplate;
  append?: ValueTemplate;
  most?: number;
  expect?: ValueTemplate;
  /** Milliseconds. */
  expires?: number;
};
export type SetStep = StepBase & { kind: "set"; values: [string, ValueTemplate][] };
export type WaitStep = StepBase & { kind: "wait"; for?: Template; at?: Template };
export type RespondStep = StepBase & {
  kind: "respond";
  status: ValueTemplate;
  headers?: ValueTemplate;
  body?: ValueTemplate;
};
/** Ends the whole run. */
export type EndStep = StepBase & { kind: "finish" | "fail"; message: Template };
export type NoteStep = StepBase & { kind: "note"; text: Template };

export type Step =
  | CallStep
  | IfStep
  | EachStep
  | GroupStep
  | TogetherStep
  | EnsureStep
  | WorkflowStep
  | SetStep
  | RememberStep
  | WaitStep
  | RespondStep
  | EndStep
  | NoteStep;

/** A workflow made ready to run. */
export interface Workflow {
  name: string;
  title?: string;
  about?: string;
  /** JSON Schema of the inputs, as it stands in the file. */
  inputs?: JsonObject;
  triggers: Record<string, ReadyTrigger>;
  /** `within` in milliseconds. */
  limits: { parallel?: number; whenBusy: "queue" | "skip"; within?: number };
  /** What a starter that waits may get: JSON Schemas by status, as they stand in the file. */
  responses?: JsonObject;
  steps: Step[];
}

/** What to say where a call wants all pages, and the document of its operation says nothing of them. */
export const noPages = (api: string, id: string): string =>
  `The document of ${api} does not say how the pages of ${id} go on (x-ckettle-pages); say it here, such as pages: { by: page, items: body.items }.`;
