import type { Catalogue } from "../apis/catalogue.js";
import type { Expression } from "../expressions/compile.js";
import type { Template } from "../expressions/templates.js";
import type { ShapeScope } from "../shapes/check.js";
import type { Shape } from "../shapes/shape.js";
import { bounds } from "../values/bounds.js";
import { durationHint, parseDuration } from "../values/durations.js";
import { isObject, type Json, type JsonObject } from "../values/json.js";
import { printPath, type Path } from "../values/paths.js";
import { stepName, workflowName, type StepKind } from "./document.js";
import type { TriggerKind } from "./document-triggers.js";
import { prepareTrigger } from "./prepare-triggers.js";
import type { ReadyTrigger } from "./triggers.js";
import { optional, texts } from "./prepare-values.js";
import { prepareStep } from "./prepare-steps.js";
import { withinStep } from "./fields.js";
import { innerLists } from "./nested.js";
import { checkSchema } from "./check-schema.js";
import { FieldPlaces, hasOtherForm, judgeField, type FieldPlace, type JudgedField } from "./judge-field.js";
import { readFieldOf } from "./read-field.js";
import { broughtShape, Knowledge } from "./knowledge.js";
import type { Visible } from "./visible.js";
import type { UnknownRead } from "./problems.js";
import type { Source } from "./source.js";
import type { Step, ValueTemplate, Workflow } from "./steps.js";
import { inQuotes } from "./yaml-words.js";

/** Turns a workflow's value into what the engine runs, and reports each expression, template or name at fault. */
export class Preparer {
  readonly #sets: [Path, string[]][] = [];
  #visible: Visible = {
    steps: new Set(),
    allSteps: new Set(),
    names: new Set(),
    inputs: undefined,
    roots: undefined,
  };
  #reads: string[][] = [];
  /** The step that is being prepared. */
  #step: JsonObject | undefined;
  #name = "";
  /** All that the file reads, to find what it sets for nothing. */
  readonly #allReads: string[][] = [];
  readonly knowledge: Knowledge;
  /** What the file says that a starter may get. */
  responses: JsonObject | undefined;
  /** What is in scope at each step, by the line on which it begins. */
  readonly scopes: { line: number; scope: ShapeScope }[] = [];
  /** The readings of steps that are not known where they are read. */
  readonly unknownReads: UnknownRead[] = [];
  /** Where the expressions and texts stand. */
  readonly places = new FieldPlaces();

  constructor(
    readonly source: Source,
    readonly sound: {
      steps: ReadonlyMap<JsonObject, StepKind>;
      triggers: ReadonlyMap<JsonObject, TriggerKind>;
    },
    /** The described APIs; undefined if they are not known, and calls of operations are not checked. */
    readonly catalogue: Catalogue | undefined,
  ) {
    this.knowledge = new Knowledge(catalogue);
  }

  workflow(value: JsonObject): Workflow {
    const steps = Array.isArray(value["steps"]) ? value["steps"] : [];
    const inputs = isObject(value["inputs"]) ? value["inputs"] : undefined;
    this.#name = typeof value["name"] === "string" && workflowName.test(value["name"]) ? value["name"] : "";
    this.#visible.inputs = inputs;
    this.knowledge.inputs(inputs);
    if (inputs) checkSchema(this.source, inputs, ["inputs"]);
    if (isObject(value["responses"])) {
      this.responses = value["responses"];
      for (const [status, schema] of Object.entries(this.responses))
        checkSchema(this.source, schema, ["responses", status]);
    }
    this.#collectNames(steps, ["steps"]);
    const triggers = isObject(value["triggers"]) ? value["triggers"] : {};
    const limits = isObject(value["limits"]) ? value["limits"] : {};
    const prepared = this.steps(steps, ["steps"]);
    this.#unused(prepared);
    return {
      name: this.#name,
      ...texts(value, ["title", "about"]),
      ...(inputs ? { inputs } : {}),
      ...optional("responses", this.responses),
      triggers: this.#triggers(triggers),
      limits: {
        ...(typeof limits["parallel"] === "number" ? { parallel: limits["parallel"] } : {}),
        whenBusy: limits["when-busy"] === "skip" ? "skip" : "queue",
        ...optional("within", this.duration(limits["within"], ["limits", "within"])),
      },
      steps: prepared,
    };
  }

  /** Triggers see what they bring, and constants. */
  #triggers(raw: JsonObject): Record<string, ReadyTrigger> {
    const outer = this.#visible;
    this.#visible = { ...outer, roots: ["trigger", "constants"] };
    const workflow = this.#name;
    const ready: [string, ReadyTrigger][] = [];
    for (const [name, trigger] of Object.entries(raw)) {
      const kind = isObject(trigger) ? this.sound.triggers.get(trigger) : undefined;
      if (!kind) continue;
      const at = ["triggers", name];
      const known = this.catalogue?.brought?.(workflow, name);
      const made = this.knowledge.within(known ? { trigger: broughtShape(known, kind) } : {}, () => {
        this.scopes.push({ line: this.source.line(at), scope: this.knowledge.scope() });
        return prepareTrigger(this, kind, trigger as JsonObject, at);
      });
      if (made) ready.push([name, made]);
    }
    this.#visible = outer;
    return Object.fromEntries(ready);
  }

  /** Runs where a run has ended: every step is in scope. */
  afterRun<T>(inner: () => T): T {
    const outer = this.#visible;
    this.#visible = { ...outer, steps: new Set(outer.allSteps), roots: undefined };
    try {
      return inner();
    } finally {
      this.#visible = outer;
    }
  }

  /** Prepares a list of steps in order; each sees those before it. */
  steps(list: Json[], path: Path): Step[] {
    const prepared: Step[] = [];
    list.forEach((raw, index) => {
      if (!isObject(raw)) return;
      const kind = this.sound.steps.get(raw);
      this.scopes.push({ line: this.source.line([...path, index]), scope: this.knowledge.scope() });
      const name = typeof raw["step"] === "string" ? raw["step"] : undefined;
      if (kind) {
        const [outer, outerStep] = [this.#reads, this.#step];
        [this.#reads, this.#step] = [[], raw];
        const step = prepareStep(this, kind, raw, [...path, index]);
        if (step) {
          prepared.push({ ...step, reads: this.#reads });
          this.knowledge.ended(step);
          if (step.kind === "set")
            this.#sets.push([[...path, index, "set"], step.values.map(([key]) => key)]);
        }
        [this.#reads, this.#step] = [outer, outerStep];
      }
      if (name) this.#visible.steps.add(name);
    });
    return prepared;
  }

  /** Runs `inner` where more names are in scope, such as a loop's item; the steps inside are not seen afterwards. */
  within<T>(shapes: Record<string, Shape>, inner: () => T): T {
    const names = Object.keys(shapes);
    const outer = this.#visible;
    this.#visible = { ...outer, steps: new Set(outer.steps), names: new Set([...outer.names, ...names]) };
    try {
      return this.knowledge.within(shapes, inner);
    } finally {
      this.#visible = outer;
    }
  }

  /** Lists of steps that run side by side: none sees what another does, and those after them see all. */
  beside(lists: readonly { list: Json[]; path: Path }[]): Step[][] {
    const before = this.#visible.steps;
    const after = new Set(before);
    const prepared = lists.map(({ list, path }) => {
      this.#visible.steps = new Set(before);
      const steps = this.knowledge.beside(() => this.steps(list, path));
      for (const name of this.#visible.steps) after.add(name);
      return steps;
    });
    this.#visible.steps = after;
    return prepared;
  }

  /** A field that is a bare expression. `more` names what is in scope only here, such as `status`. */
  expression(value: Json | undefined, path: Path, more: string[] = []): Expression | undefined {
    if (value === undefined) return undefined;
    if (this.source.isAlias(path)) {
      this.source.report(
        path,
        "expression",
        "An expression cannot be a YAML alias (*name). If the * is meant, put the expression in quotes.",
      );
      return undefined;
    }
    const scalar = this.source.scalar(path);
    if (
      scalar?.type === "PLAIN" &&
      scalar.comment &&
      !scalar.comment.includes("\n") &&
      this.#sameLine(path)
    ) {
      this.source.report(
        path,
        "yaml-cut",
        `To YAML, what follows " #" is a comment. Put the expression in quotes: ${inQuotes(`${String(value)} #${scalar.comment}`)}.`,
      );
      return undefined;
    }
    return this.#judged("expression", String(value), path, more).read.expression;
  }

  /** A text with `${ … }` parts. */
  template(value: Json | undefined, path: Path, more: string[] = []): Template | undefined {
    return typeof value === "string" ? this.#judged("template", value, path, more).read.template : undefined;
  }

  /** Any value, with templates in its texts. */
  value(value: Json, path: Path): ValueTemplate {
    if (typeof value === "string") {
      if (!value.includes("${")) {
        // For what is wrong with it only.
        if (hasOtherForm(value)) this.template(value, path);
        return { constant: value };
      }
      const template = this.template(value, path);
      return template ? { template } : { constant: value };
    }
    if (Array.isArray(value)) {
      const list = value.map((item, index) => this.value(item, [...path, index]));
      return list.every((item) => "constant" in item) ? { constant: value } : { list };
    }
    if (!isObject(value)) return { constant: value };
    const entries = Object.keys(value).map(
      (key) => [key, this.value(value[key] as Json, [...path, key])] as [string, ValueTemplate],
    );
    return entries.every(([, inner]) => "constant" in inner) ? { constant: value } : { entries };
  }

  /** A duration in milliseconds; a problem where it is none. */
  duration(value: Json | undefined, path: Path): number | undefined {
    if (value === undefined) return undefined;
    const millis = typeof value === "string" ? parseDuration(value) : undefined;
    if (millis !== undefined && millis >= 0) return millis;
    this.source.report(
      path,
      "duration",
      `"${String(value)}" is not a duration. ${durationHint(String(value))}`,
    );
    return undefined;
  }

  #noteUnknown([root, name]: string[], path: Path, more: string[]): void {
    const { steps, names } = this.#visible;
    if (root !== "steps" || name === undefined || name === "*" || steps.has(name)) return;
    if (names.has(root) || more.includes(root) || this.unknownReads.length >= bounds.fileProblems) return;
    this.unknownReads.push({ path, name, known: [...steps] });
  }

  /** Reads a field, and reports what is wrong with it. */
  #judged(kind: FieldPlace["kind"], text: string, path: Path, more: string[]): JudgedField {
    const inStep = withinStep(path) ?? path;
    const place: FieldPlace = {
      kind,
      key: String(path.at(-1)),
      label: inStep.join("."),
      visible: this.#visible,
      more,
      scope: this.knowledge.scope(more),
    };
    this.places.note(printPath(path), place);
    const read = this.#step && readFieldOf(this.#step, inStep, kind, text, place.label);
    const judged = judgeField(text, place, read);
    for (const { path: read } of judged.read.references) {
      this.#reads.push(read);
      this.#allReads.push(read);
      this.#noteUnknown(read, path, more);
    }
    for (const [expression, shape] of judged.results) this.knowledge.gives(expression, shape);
    for (const { severity, code, message, start, end } of judged.findings)
      this.source.report(path, code, message, { text, start, end }, severity);
    return judged;
  }

  /** Variables that are set, and that nothing reads. */
  #unused(steps: Step[]): void {
    if (steps.length === 0 || this.source.problems.some(({ severity }) => severity === "error")) return;
    const whole = this.#allReads.some(
      (path) => path[0] === "variables" && (path[1] === undefined || path[1] === "*"),
    );
    const read = new Set(this.#allReads.filter(([root]) => root === "variables").map(([, name]) => name));
    if (whole) return;
    for (const [path, names] of this.#sets)
      for (const name of names)
        if (!read.has(name))
          this.source.reportKey(
            path,
            name,
            "unused",
            `variables.${name} is set here, but nothing reads it.`,
            "advice",
          );
  }

  #sameLine(path: Path): boolean {
    const range = this.source.scalar(path)?.range;
    return range ? /^[^\n]*\S[ \t]+#/.test(this.source.text.slice(range[0])) : false;
  }

  #collectNames(list: Json[], path: Path): void {
    list.forEach((raw, index) => {
      if (!isObject(raw)) return;
      const at = [...path, index];
      const name = raw["step"];
      if (typeof name === "string" && stepName.test(name)) {
        if (this.#visible.allSteps.has(name)) {
          this.source.report(
            [...at, "step"],
            "duplicate-step",
            `There is already a step "${name}"; each name is used once in a file.`,
          );
        }
        this.#visible.allSteps.add(name);
      }
      for (const inner of innerLists(raw)) this.#collectNames(inner.list, [...at, ...inner.path]);
    });
  }
}
