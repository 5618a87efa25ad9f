import type { z } from "zod";
import type { ShapeScope } from "../shapes/check.js";
import type { Catalogue } from "../apis/catalogue.js";
import { bounds } from "../values/bounds.js";
import { aKind, isObject, type Json, type JsonObject } from "../values/json.js";
import { nearest } from "../values/nearest.js";
import { valueAt, type Path } from "../values/paths.js";
import { shallowDocument, shallowSteps, stepKinds, type StepKind } from "./document.js";
import { triggerKinds, triggerSchemas, type TriggerKind } from "./document-triggers.js";
import type { FieldPlaces } from "./judge-field.js";
import { meantByKey } from "./key-habits.js";
import { innerLists } from "./nested.js";
import { Preparer } from "./prepare.js";
import type { FieldFinding, Problem, UnknownRead } from "./problems.js";
import { keysAt, sentence, specific } from "./schema-faults.js";
import { Source } from "./source.js";
import type { Workflow } from "./steps.js";

/** A workflow file after reading: ready to run when it has no errors. */
export interface ReadWorkflow {
  workflow: Workflow | undefined;
  /** What could be understood of a file with errors; for showing only. */
  partial: Workflow | undefined;
  problems: Problem[];
  /** The readings of steps that are not known where they are read. */
  unknownReads: readonly UnknownRead[];
  /** What expressions can read at a line, with all that is known of it; for completion. */
  scopeAt(line: number): ShapeScope;
  /** What is wrong with another text in a field; undefined for one that holds no expression. @param field as in `Problem` */
  judge(field: string, text: string): FieldFinding[] | undefined;
}

/**
 * Reads a workflow file (YAML 1.2 or JSON) and checks all that can be known without running it. Never throws: what
 * is wrong comes back as problems with line and column, in the order of the file.
 * @param catalogue the described APIs; without them calls of operations are not checked
 */
export function readWorkflow(text: string, catalogue?: Catalogue): ReadWorkflow {
  const source = new Source(text);
  const value = source.value;
  let workflow: Workflow | undefined;
  const reader = new Reader(source, catalogue);
  if (value !== undefined) workflow = reader.read(value);
  const problems = source.problems.sort((a, b) => a.line - b.line || a.column - b.column);
  const sound = !problems.some((problem) => problem.severity === "error");
  const scopeAt = (line: number) =>
    reader.scopes.findLast((one) => one.line <= line)?.scope ?? (new Map() as ShapeScope);
  const judge = (field: string, other: string) => reader.places?.judge(field, other);
  return {
    workflow: sound ? workflow : undefined,
    partial: workflow,
    problems,
    unknownReads: reader.unknownReads,
    scopeAt,
    judge,
  };
}

/** How a thing with kinds is spoken of. */
interface Kinded {
  a: string;
  such: string;
  /** Its keys that say no kind. */
  notKind: readonly string[];
}

const aStep: Kinded = {
  a: "A step",
  such: " with a name, such as { step: lookup, request: GET https://… }",
  notKind: ["step", "title", "about"],
};
const aTrigger: Kinded = {
  a: "A trigger",
  such: ", such as { schedule: { every: 5m } }",
  notKind: [
    "title",
    "inputs",
    "only-if",
    "one-at-a-time",
    "latest-only",
    "parallel",
    "when-busy",
    "fetch",
    "once-per",
    "expect",
    "was",
  ],
};

/** The schema by which a value is sound: parts of a text that did not change are the same values when it is read again. */
const soundBy = new WeakMap<JsonObject, z.ZodType>();

class Reader {
  /** The steps whose own fields have the right shape. */
  readonly #sound = new Map<JsonObject, StepKind>();
  readonly #soundTriggers = new Map<JsonObject, TriggerKind>();
  scopes: { line: number; scope: ShapeScope }[] = [];
  places: FieldPlaces | undefined;
  unknownReads: readonly UnknownRead[] = [];
  #count = 0;

  constructor(
    readonly source: Source,
    readonly catalogue: Catalogue | undefined,
  ) {}

  read(value: Json): Workflow | undefined {
    if (!isObject(value)) {
      this.source.report(
        [],
        "wrong-value",
        `A workflow file is a mapping that begins with "copper-kettle: 1"; this is ${aKind(value)}.`,
      );
      return undefined;
    }
    if (value["copper-kettle"] === undefined) {
      this.source.report(
        [],
        "wrong-value",
        'The marker "copper-kettle: 1" is missing; it says that this is a workflow file.',
      );
    }
    if (value["step"] !== undefined && value["steps"] === undefined) {
      const message =
        'Steps stand in a list under "steps": steps: [{ step: lookup, request: GET https://… }].';
      this.source.reportKey([], "step", "wrong-value", message);
      return undefined;
    }
    this.#shape(shallowDocument, value, []);
    const triggers = isObject(value["triggers"]) ? value["triggers"] : {};
    for (const [name, trigger] of Object.entries(triggers)) {
      const at = ["triggers", name];
      const kind = this.#kindOf(trigger, at, triggerKinds, aTrigger);
      if (kind && this.#shape(triggerSchemas[kind], trigger, at))
        this.#soundTriggers.set(trigger as JsonObject, kind);
    }
    const list = Array.isArray(value["steps"]) ? value["steps"] : [];
    this.#steps(list, ["steps"]);
    if (this.#count > bounds.fileSteps) {
      const message = `A workflow may have ${bounds.fileSteps} steps. Move some of them into another workflow.`;
      this.source.reportKey([], "steps", "too-large", message);
      return undefined;
    }
    const preparer = new Preparer(
      this.source,
      { steps: this.#sound, triggers: this.#soundTriggers },
      this.catalogue,
    );
    this.scopes = preparer.scopes;
    this.places = preparer.places;
    this.unknownReads = preparer.unknownReads;
    return preparer.workflow(value);
  }

  /** Checks each step, and the steps in it, against the schema of its kind. */
  #steps(list: Json[], path: Path): void {
    list.forEach((step, index) => {
      if (++this.#count > bounds.fileSteps) return;
      const at = [...path, index];
      const kind = this.#kindOf(step, at, stepKinds, aStep);
      if (!kind) return;
      if (this.#shape(shallowSteps[kind], step, at)) this.#sound.set(step as JsonObject, kind);
      for (const { list: inner, path: below } of innerLists(step as JsonObject))
        this.#steps(inner, [...at, ...below]);
    });
  }

  /** The kind of a step or a trigger: the one key of those that say it. */
  #kindOf<K extends string>(
    step: Json,
    path: Path,
    kinds: readonly K[],
    { a, such, notKind }: Kinded,
  ): K | undefined {
    if (!isObject(step)) {
      this.source.report(path, "wrong-value", `${a} is a mapping${such}; this is ${aKind(step)}.`);
      return undefined;
    }
    const found = kinds.filter((kind) => step[kind] !== undefined);
    if (found.length === 1) return found[0];
    if (found.length > 1) {
      this.source.reportKey(
        path,
        found[1] as string,
        "wrong-value",
        `${a} has one kind, but this one has two: ${found.join(" and ")}.`,
      );
      return undefined;
    }
    const others = Object.keys(step).filter((key) => !notKind.includes(key));
    const habit = others.map((key) => ({ key, meant: meantByKey(path, key) })).find(({ meant }) => meant);
    const near = others.map((key) => ({ key, near: nearest(key, kinds) })).find((pair) => pair.near);
    const kind = `${a.split(" ")[1] as string} kind`;
    const unknown = (key: string, meant: string) =>
      this.source.reportKey(path, key, "unknown-key", `There is no ${kind} "${key}"; ${meant}`);
    if (habit) unknown(habit.key, `write ${habit.meant}.`);
    else if (near) unknown(near.key, `did you mean "${near.near}"?`);
    else
      this.source.report(
        path,
        "wrong-value",
        `This ${a.split(" ")[1] as string} does not say what it does. It needs one of: ${kinds.join(", ")}.`,
      );
    return undefined;
  }

  #shape(schema: z.ZodType, value: Json, path: Path): boolean {
    if (isObject(value) && soundBy.get(value) === schema) return true;
    const result = schema.safeParse(value);
    if (result.success) {
      if (isObject(value)) soundBy.set(value, schema);
      return true;
    }
    for (const issue of result.error.issues.flatMap((one) => specific(one))) {
      const inner = issue.path as Path;
      const at = [...path, ...inner];
      if (issue.code === "unrecognized_keys") {
        const known = keysAt(schema, inner);
        for (const key of issue.keys) this.#unknownKey(at, key, known);
      } else if (issue.code === "invalid_key") {
        this.source.reportKey(
          at.slice(0, -1),
          String(at[at.length - 1]),
          "wrong-value",
          `"${String(at[at.length - 1])}" cannot be a name here: ${issue.issues[0]?.message ?? issue.message}.`,
        );
      } else if (at.length === 1 && at[0] === "copper-kettle" && valueAt(value, inner) === undefined)
        continue;
      else this.source.report(at, "wrong-value", sentence(issue, at, valueAt(value, inner), schema, inner));
    }
    return false;
  }

  #unknownKey(path: Path, key: string, known: string[]): void {
    const habit = meantByKey(path, key);
    const near = nearest(key, known);
    const meant = habit
      ? `write ${habit}.`
      : near
        ? `did you mean "${near}"?`
        : `known here: ${known.join(", ")}.`;
    this.source.reportKey(path, key, "unknown-key", `There is no key "${key}" here; ${meant}`);
  }
}
