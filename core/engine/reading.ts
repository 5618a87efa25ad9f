import type { Expression } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import type { Surroundings } from "../expressions/evaluation.js";
import { evaluateToJson } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { derivedFraction, derivedUuid } from "../values/digest.js";
import { isObject, leafTexts, own, printJson, setOwn, type Json, type JsonObject } from "../values/json.js";
import { valueAt } from "../values/paths.js";
import type { Step } from "../workflows/steps.js";
import type { Frame, RunFacts } from "./frame.js";
import type { Ports, RememberedValues } from "./ports.js";
import type { RememberedReads } from "./remembered-reads.js";
import { StepFailed } from "./signals.js";
import type { Writing } from "./writing.js";

/** What a step may read: the names in scope of its expressions, and what they give. */
export class Reading {
  readonly variables: JsonObject = {};
  /** In a rehearsal: what would have been remembered, by key. */
  readonly rememberedInRehearsal: JsonObject = {};

  constructor(
    readonly facts: RunFacts,
    /** The names that are the same for the whole run. */
    readonly fixed: { inputs: JsonObject; trigger: JsonObject; run: JsonObject },
    readonly ports: Pick<Ports, "constants" | "remembered">,
    readonly reads: RememberedReads,
    /** Secrets come up in remembered values, too. */
    readonly write: Pick<Writing, "secret">,
  ) {}

  /** The names in scope of an expression of a step. */
  scope(frame: Frame, more?: ValueMap): ValueMap {
    const { inputs, trigger, run } = this.fixed;
    const constants = this.ports.constants();
    const { variables } = this;
    return { inputs, trigger, run, steps: frame.steps, variables, constants, ...frame.locals, ...more };
  }

  /** The time and ids of an evaluation; the same again at a replay. */
  surroundings(path: string, at: number, remembered?: JsonObject): Surroundings {
    return {
      now: () => at,
      uuid: (place, count) => derivedUuid(this.facts.origin, path, place, count),
      remembered: (key) => {
        const known = remembered && own(remembered, key);
        const found =
          known === undefined ? this.rememberedNow(key) : { values: known as JsonObject, masked: [] };
        this.#reveal(found);
        this.reads.note(path, key, found);
        return found.values;
      },
    };
  }

  /** What is remembered under a key now. */
  rememberedNow(key: string): RememberedValues {
    const rehearsed = own(this.rememberedInRehearsal, key);
    return isObject(rehearsed) ? { values: rehearsed, masked: [] } : this.ports.remembered.read(key);
  }

  /** What was a secret when it was remembered is one here, too. */
  #reveal({ values, masked }: RememberedValues): void {
    if (masked.length === 0) return;
    this.write.secret(
      masked.flatMap((place) => leafTexts(valueAt(values, place) ?? null)),
      [],
    );
  }

  /** Chance that is the same again at a replay: from 0 up to 1. */
  chance(...parts: (string | number)[]): number {
    return derivedFraction(this.facts.origin, ...parts);
  }

  /** Evaluates a bare expression; what it gave becomes JSON at once. */
  evaluate(
    expression: Expression,
    field: string,
    path: string,
    frame: Frame,
    at: number,
    more?: ValueMap,
    remembered?: JsonObject,
  ): Json {
    return this.guarded(
      path,
      field,
      () =>
        evaluateToJson(expression, this.scope(frame, more), this.surroundings(path, at, remembered)) ?? null,
    );
  }

  /** Evaluates a bare expression that must give true or false. */
  condition(
    expression: Expression,
    field: string,
    path: string,
    frame: Frame,
    at: number,
    more?: ValueMap,
  ): boolean {
    const value = this.evaluate(expression, field, path, frame, at, more);
    if (typeof value === "boolean") return value;
    throw new StepFailed({
      code: "expression",
      message: `"${field}" must be true or false, but ${expression.text} is ${printJson(value).slice(0, 60)}.`,
      step: path,
      field,
    });
  }

  /** Turns an error of an expression into the failure of a step. */
  guarded<T>(path: string, field: string, run: () => T): T {
    try {
      return run();
    } catch (error) {
      if (!(error instanceof ExpressionError)) throw error;
      throw new StepFailed({ code: "expression", message: error.message, step: path, field });
    }
  }

  /** The constants that a step's own fields read, as they are now. */
  constantsRead(step: Step): JsonObject {
    const constants = this.ports.constants();
    const read: JsonObject = {};
    for (const [root, name] of step.reads) {
      const value = root === "constants" && name !== undefined ? own(constants, name) : undefined;
      if (value !== undefined) setOwn(read, name as string, value);
    }
    return read;
  }
}
