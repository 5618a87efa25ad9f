import type { Catalogue } from "../apis/catalogue.js";
import { deref, type Operation } from "../apis/openapi.js";
import type { Expression } from "../expressions/compile.js";
import type { ShapeScope } from "../shapes/check.js";
import { narrowedByAll } from "../shapes/guards.js";
import { anything, listOf, objectOf, ofKind, ofSchema, ofValue, union, type Shape } from "../shapes/shape.js";
import { isObject, own, type JsonObject } from "../values/json.js";
import { KnownNames } from "./known-names.js";
import type { CallStep, Step, ValueTemplate } from "./steps.js";

/** A condition that holds where something is read, or does not; undefined where it could not be read itself. */
export type Assumed = readonly [condition: Expression | undefined, holds: boolean];

/** So many conditions around a place are taken into account. */
const mostAssumed = 12;

/** What a step gave, as it is known before it runs; `sure` is false if it may not have run. */
interface Outcome {
  shape: Shape;
  sure: boolean;
}

/** What is known of the values at each place of a file; follows the steps in their order. */
export class Knowledge {
  #steps = new KnownNames<Outcome>();
  readonly #variables = new KnownNames<Shape>();
  #names = new Map<string, Shape>();
  readonly #results = new WeakMap<object, Shape>();
  #inputs: Shape = anything;
  #assumed: readonly Assumed[] = [];

  constructor(readonly catalogue: Catalogue | undefined) {}

  inputs(schema: JsonObject | undefined): void {
    this.#inputs = schema ? withDefaults(ofSchema(schema), schema) : anything;
  }

  /** Runs where loop names are in scope; the steps inside are not seen afterwards. */
  within<T>(names: Record<string, Shape>, inner: () => T): T {
    const [outerNames, outerSteps] = [this.#names, this.#steps];
    this.#names = new Map([...outerNames, ...Object.entries(names)]);
    this.#steps = outerSteps.copy();
    try {
      return inner();
    } finally {
      this.#names = outerNames;
      this.#steps = outerSteps;
    }
  }

  /** Runs where conditions hold, or do not: what they asked for is there. */
  assuming<T>(conditions: readonly Assumed[], inner: () => T): T {
    const known = conditions.filter(([condition]) => condition);
    if (known.length === 0) return inner();
    const before = this.#assumed;
    this.#assumed = [...before, ...known].slice(-mostAssumed);
    try {
      return inner();
    } finally {
      this.#assumed = before;
    }
  }

  /** Runs for steps that may not be reached: from outside, what they gave may be absent. */
  branch<T>(inner: () => T): T {
    const before = this.#steps.asOfNow();
    const result = inner();
    for (const [name, { shape }] of this.#steps.since(before)) this.#steps.set(name, { shape, sure: false });
    return result;
  }

  /** Runs for steps beside others, which do not see what these give. */
  beside<T>(inner: () => T): T {
    const before = this.#steps;
    this.#steps = before.copy();
    try {
      return inner();
    } finally {
      this.#steps = before;
    }
  }

  /** Notes the shape of what an expression gives. */
  gives(expression: Expression, result: Shape): void {
    this.#results.set(expression, result);
  }

  result(expression: object | undefined): Shape {
    return (expression && this.#results.get(expression)) ?? anything;
  }

  /** What the last scope was made of, and the scope. */
  #last: readonly unknown[] = [];
  #lastScope: ShapeScope = new Map();
  /** The shapes of all names in scope. `more` are those of an attempt's response. */
  scope(more: readonly string[] = []): ShapeScope {
    if (more.length > 0) return this.#scopeWith(more);
    // The fields of a step have the same one.
    const now = [this.#steps, this.#steps.moment, this.#variables.moment, this.#names, this.#assumed];
    if (now.some((part, index) => part !== this.#last[index])) {
      this.#last = now;
      this.#lastScope = this.#scopeWith([]);
    }
    return this.#lastScope;
  }

  #scopeWith(more: readonly string[]): ShapeScope {
    // As they are now: a scope may be kept while more steps are read.
    const [steps, variables] = [this.#steps.asOfNow(), this.#variables.asOfNow()];
    const scope = new Map<string, Shape>();
    scope.set("inputs", this.#inputs);
    scope.set("run", runShape);
    scope.set("steps", withFields({ names: steps.names, get: steps.get, open: true }));
    const get = (name: string) => {
      const shape = variables.get(name);
      return shape && { shape, sure: true };
    };
    scope.set("variables", withFields({ names: variables.names, get, open: this.#variables.isEmpty }));
    for (const [name, shape] of this.#names) scope.set(name, shape);
    for (const name of more) scope.set(name, responseNames[name] ?? anything);
    if (this.#assumed.length === 0) return scope;
    return narrowedByAll(
      scope,
      this.#assumed.flatMap(([condition, holds]) => (condition ? [[condition.tree, holds] as const] : [])),
    );
  }

  /** Notes what a step gives. */
  ended(step: Step): void {
    // One that failed and was caught gives something else; one that was skipped gives nothing.
    const shape = step.catch || step.keepGoing ? anything : this.#outcome(step);
    this.#steps.set(step.name, { shape, sure: step.onlyIf === undefined });
    if (step.kind !== "set") return;
    for (const [name, value] of step.values) {
      const before = this.#variables.asOfNow().get(name);
      const shape = this.valueShape(value);
      this.#variables.set(name, before ? union([before, shape]) : shape);
    }
  }

  #outcome(step: Step): Shape {
    switch (step.kind) {
      case "request":
        return this.#callOutcome(step);
      case "if":
        return objectOf({ chose: ofKind("any") });
      case "each":
        return objectOf({
          done: ofKind("number"),
          failed: ofKind("number"),
          failures: ofKind("list"),
          ...(step.collect ? { items: listOf(() => this.result(step.collect)) } : {}),
        });
      case "set":
        return objectOf(
          Object.fromEntries(step.values.map(([name, value]) => [name, this.valueShape(value)])),
        );
      case "wait":
        return objectOf({ woke: ofKind("text") });
      case "ensure":
        return objectOf({
          existed: ofKind("boolean"),
          created: ofKind("boolean"),
          changed: ofKind("boolean"),
          record: anything,
        });
      default:
        return anything;
    }
  }

  #callOutcome({ operation: name, pages, until }: CallStep): Shape {
    const operation = name && this.catalogue?.operations(name.api)?.find(({ id }) => id === name.id);
    const document = name && this.catalogue?.document?.(name.api);
    // What the last of several responses holds is not what the first one does.
    const body = operation && document && !until?.url ? responseShape(operation, document) : anything;
    if (body === anything && !pages) return anyOutcome;
    const paged: Record<string, Shape> = pages ? { items: ofKind("list"), more: ofKind("boolean") } : {};
    return outcomeWith({ ...paged, body });
  }

  valueShape(value: ValueTemplate): Shape {
    if ("constant" in value) return ofValue(value.constant);
    if ("template" in value) return value.template.alone ? this.result(value.template.alone) : ofKind("text");
    if ("list" in value) return listOf(() => union(value.list.map((item) => this.valueShape(item))));
    return objectOf(Object.fromEntries(value.entries.map(([key, inner]) => [key, this.valueShape(inner)])));
  }
}

const withFields = (fields: NonNullable<Shape["fields"]>): Shape => ({
  kinds: ["object"],
  nullable: false,
  fields,
});

/** What a call gives, with what is known of its response. */
const outcomeWith = (known: Record<string, Shape>): Shape =>
  objectOf({ ...outcomeFields, ...known, text: ofKind("text") }, { unsure: ["text"] });
const outcomeFields = {
  status: ofKind("number"),
  headers: ofKind("object"),
  body: anything,
  url: ofKind("text"),
  cookies: ofKind("object"),
  took: ofKind("number"),
  attempts: ofKind("number"),
};
const anyOutcome = outcomeWith({});

/** What `trigger` is, where a sample says what its trigger brings; a delivery may hold many items. */
export function broughtShape(schema: JsonObject, kind: string): Shape {
  const brought = ofSchema(schema);
  const always = objectOf({
    kind: ofKind("text"),
    name: ofKind("text"),
    id: ofKind("text"),
    at: ofKind("text"),
  });
  const fields = {
    names: () => [...(always.fields?.names() ?? []), ...(brought.fields?.names() ?? [])],
    get: (name: string) =>
      always.fields?.get(name) ??
      brought.fields?.get(name) ??
      (kind === "webhook" && (name === "item" || name === "items")
        ? { shape: anything, sure: false }
        : undefined),
    open: false,
  };
  return ofKind("object", { fields });
}

/** Inputs are checked against their schema before a run, and what has a default is filled in: that is there for sure. */
function withDefaults(shape: Shape, schema: JsonObject): Shape {
  const { fields } = shape;
  const properties = schema["properties"];
  if (!fields || !isObject(properties)) return shape;
  const filled = (name: string) => {
    const property = own(properties, name);
    return isObject(property) && property["default"] !== undefined;
  };
  const get: typeof fields.get = (name) => {
    const found = fields.get(name);
    return found && { ...found, sure: found.sure || filled(name) };
  };
  return { ...shape, fields: { ...fields, get } };
}

/** The shape of an operation's successful responses, where they are JSON. */
export function responseShape(operation: Operation, document: JsonObject): Shape {
  const good = operation.responses.filter(({ status }) => /^2/.test(status));
  const described = good.length > 0 ? good : operation.responses.filter(({ status }) => status === "default");
  const shapes = described.flatMap(({ content }) =>
    content.length === 0
      ? []
      : content.map(({ type, schema }) =>
          /[/+]json\b/i.test(type) && schema ? ofSchema(schema, (part) => deref(document, part)) : anything,
        ),
  );
  return shapes.length > 0 ? union(shapes) : anything;
}

const responseNames: Record<string, Shape> = {
  status: ofKind("number"),
  headers: ofKind("object"),
  failure: { kinds: ["text"], nullable: true, choices: ["connect", "tls", "dns", "timeout", "cut", "token"] },
  repeated: ofKind("boolean"),
};

const runShape = objectOf({
  id: ofKind("text"),
  startedAt: ofKind("text"),
  workflow: ofKind("text"),
  version: ofKind("number"),
  rehearsal: ofKind("boolean"),
});
