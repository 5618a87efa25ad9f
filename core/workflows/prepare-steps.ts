import { compile } from "../expressions/compile.js";
import { anything, ofKind } from "../shapes/shape.js";
import { isObject, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { StepKind } from "./document.js";
import { checkRespond } from "./check-responses.js";
import type { Assumed } from "./knowledge.js";
import { innerLists } from "./nested.js";
import type { Preparer } from "./prepare.js";
import { innerCall, prepareOperation, prepareRequest, resultNames } from "./prepare-call.js";
import { optional, texts, values } from "./prepare-values.js";
import type { RespondStep, Step, StepBase } from "./steps.js";

type Prepare = (preparer: Preparer, raw: JsonObject, path: Path, base: StepBase) => Step | undefined;

/** Prepares one step whose fields have the right shape. Undefined if a part of it is at fault (and reported). */
export function prepareStep(
  preparer: Preparer,
  kind: StepKind,
  raw: JsonObject,
  path: Path,
): Step | undefined {
  const base: StepBase = {
    name: raw["step"] as string,
    ...texts(raw, ["title"]),
    line: preparer.source.line(path),
    reads: [],
  };
  const onlyIf = preparer.expression(raw["only-if"], [...path, "only-if"]);
  const caught = Array.isArray(raw["catch"]) ? raw["catch"] : undefined;
  const prepare = () => kinds[kind](preparer, raw, path, base);
  const [step, handler] = preparer.knowledge.assuming([[onlyIf, true]], () => [
    // Where a failure is caught, the steps inside may not have come to their end.
    caught ? preparer.knowledge.branch(prepare) : prepare(),
    // What failed is known in there as `error`; what the steps in there gave is not seen afterwards.
    caught && preparer.within({ error: anything }, () => preparer.steps(caught, [...path, "catch"])),
  ]);
  if (!step) return undefined;
  return {
    ...step,
    ...optional("onlyIf", onlyIf),
    ...optional("catch", handler),
    ...(raw["keep-going"] === true ? { keepGoing: true } : {}),
    ...optional("within", preparer.duration(raw["within"], [...path, "within"])),
    ...optional("secret", secretOf(raw["secret"])),
  };
}

const orNotFound = compile("status >= 200 && status <= 299 || status == 404");

/** The secret places of an outcome; one empty path where all of it is. */
function secretOf(raw: Json | undefined): Path[] | undefined {
  if (raw === true) return [[]];
  if (!Array.isArray(raw)) return undefined;
  return raw.map((text) => String(text).split("."));
}

/** Steps that are reached only where a condition holds, or does not. */
function branch(preparer: Preparer, list: Json | undefined, path: Path, ...where: Assumed[]): Step[] {
  const { knowledge } = preparer;
  const steps = () => preparer.steps((list as Json[] | undefined) ?? [], path);
  return knowledge.assuming(where, () => knowledge.branch(steps));
}

const kinds: Record<StepKind, Prepare> = {
  request: prepareRequest,
  operation: prepareOperation,

  if(preparer, raw, path, base) {
    const condition = preparer.expression(raw["if"], [...path, "if"]);
    if (raw["then"] === undefined)
      preparer.source.reportKey(
        path,
        "if",
        "missing-key",
        '"then" is missing: the steps to take where this holds.',
      );
    const then = branch(preparer, raw["then"], [...path, "then"], [condition, true]);
    const otherwise = branch(preparer, raw["else"], [...path, "else"], [condition, false]);
    return condition && { ...base, kind: "if", cases: [{ condition, then, chose: "then" }], else: otherwise };
  },

  cases(preparer, raw, path, base) {
    // A case is reached where none before it held.
    const before: Assumed[] = [];
    const cases = (raw["cases"] as JsonObject[]).map((one, index) => {
      const at = [...path, "cases", index];
      return preparer.knowledge.assuming([...before], () => {
        const condition = preparer.expression(one["if"], [...at, "if"]);
        const then = branch(preparer, one["then"], [...at, "then"], [condition, true]);
        before.push([condition, false]);
        return { condition, then, chose: index };
      });
    });
    const otherwise = branch(preparer, raw["else"], [...path, "else"], ...before);
    const sound = cases.flatMap(({ condition, ...rest }) => (condition ? [{ condition, ...rest }] : []));
    return sound.length === cases.length ? { ...base, kind: "if", cases: sound, else: otherwise } : undefined;
  },

  group(preparer, raw, path, base) {
    const { steps } = raw["group"] as { steps: Json[] };
    return { ...base, kind: "group", steps: preparer.steps(steps, [...path, "group", "steps"]) };
  },

  each(preparer, raw, path, base) {
    const list = preparer.expression(raw["each"], [...path, "each"]);
    const as = (raw["as"] as string | undefined) ?? "item";
    const walked = preparer.knowledge.result(list);
    const isList = walked.kinds?.length === 1 && walked.kinds[0] === "list";
    const item = isList ? (walked.items?.() ?? anything) : anything;
    return preparer.within({ [as]: item, index: ofKind("number") }, () => {
      const steps = preparer.steps(raw["steps"] as Json[], [...path, "steps"]);
      const collect = preparer.expression(raw["collect"], [...path, "collect"]);
      const parallel = (raw["parallel"] as number | undefined) ?? 1;
      if (parallel > 1)
        refuseSet(
          preparer,
          raw["steps"] as Json[],
          [...path, "steps"],
          "inside a loop with parallel over 1: items",
        );
      return (
        list && {
          ...base,
          kind: "each",
          list,
          as,
          parallel,
          steps,
          ...optional("collect", collect),
          ifOneFails: raw["if-one-fails"] === "continue" ? "continue" : "stop",
          limit: (raw["limit"] as number | undefined) ?? 100_000,
        }
      );
    });
  },

  together(preparer, raw, path, base) {
    const together = raw["together"] as { branches: Record<string, Json[]>; "if-one-fails"?: string };
    const { branches } = together;
    if (branches["failures"])
      preparer.source.reportKey(
        [...path, "together", "branches"],
        "failures",
        "wrong-value",
        'A branch cannot be called "failures": the outcome lists there which branches failed.',
      );
    const names = Object.keys(branches);
    const lists = names.map((name) => ({
      list: branches[name] as Json[],
      path: [...path, "together", "branches", name],
    }));
    for (const { list, path: at } of lists) refuseSet(preparer, list, at, "under together: branches");
    const prepared = preparer.beside(lists);
    return {
      ...base,
      kind: "together",
      ifOneFails: together["if-one-fails"] === "continue" ? "continue" : "stop",
      branches: names.map((name, index) => ({ name, steps: prepared[index] as Step[] })),
    };
  },

  ensure(preparer, raw, path, base) {
    const ensure = raw["ensure"] as JsonObject;
    const at = [...path, "ensure"];
    const looked = innerCall(preparer, ensure["find"], [...at, "find"], "find");
    // A search that answers "not found" has found none; only what the step says itself stands over that.
    const find = looked && { ...looked, success: looked.success ?? orNotFound };
    const expression = (key: string) => preparer.expression(ensure[key], [...at, key], resultNames);
    const [found, record] = [expression("found"), expression("record")];
    const create = innerCall(preparer, ensure["create"], [...at, "create"], "create");
    const lock = preparer.template(ensure["lock"], [...at, "lock"]);
    return preparer.within({ record: anything }, () => {
      const update = innerCall(preparer, ensure["update"], [...at, "update"], "update");
      const updateIf = preparer.expression(ensure["update-if"], [...at, "update-if"], resultNames);
      return (
        find && {
          ...base,
          kind: "ensure",
          find,
          ...optional("found", found),
          ...optional("record", record),
          ...optional("create", create),
          ...optional("update", update),
          ...optional("updateIf", updateIf),
          ...optional("lock", lock),
          many: ensure["many"] === "first" ? "first" : "fail",
        }
      );
    });
  },

  workflow(preparer, raw, path, base) {
    const workflow = raw["workflow"] as JsonObject;
    return {
      ...base,
      kind: "workflow",
      called: workflow["name"] as string,
      ...values(preparer, workflow, [...path, "workflow"], ["inputs"]),
      inBackground: workflow["in-background"] === true,
    };
  },

  remember(preparer, raw, path, base) {
    const remember = raw["remember"] as JsonObject;
    const at = [...path, "remember"];
    const key = preparer.template(remember["key"], [...at, "key"]);
    if (!["values", "add", "append", "expires", "expect"].some((name) => remember[name] !== undefined)) {
      preparer.source.report(at, "wrong-value", 'Say what to remember: "values", "add" or "append".');
      return undefined;
    }
    return (
      key && {
        ...base,
        kind: "remember",
        key,
        ...values(preparer, remember, at, ["values", "add", "append", "expect"]),
        ...optional("most", remember["most"] as number | undefined),
        ...optional("expires", preparer.duration(remember["expires"], [...at, "expires"])),
      }
    );
  },

  set(preparer, raw, path, base) {
    const entries = Object.entries(raw["set"] as JsonObject);
    return {
      ...base,
      kind: "set",
      values: entries.map(([name, value]) => [name, preparer.value(value, [...path, "set", name])]),
    };
  },

  wait(preparer, raw, path, base) {
    const wait = raw["wait"] as JsonObject;
    if ((wait["for"] === undefined) === (wait["at"] === undefined)) {
      preparer.source.report(
        [...path, "wait"],
        "wrong-value",
        'A wait has either "for", a duration such as 10m, or "at", a time.',
      );
      return undefined;
    }
    if (typeof wait["for"] === "string" && !wait["for"].includes("${"))
      preparer.duration(wait["for"], [...path, "wait", "for"]);
    return {
      ...base,
      kind: "wait",
      ...optional("for", preparer.template(wait["for"], [...path, "wait", "for"])),
      ...optional("at", preparer.template(wait["at"], [...path, "wait", "at"])),
    };
  },

  respond(preparer, raw, path, base) {
    const respond = raw["respond"] as JsonObject;
    const at = [...path, "respond"];
    const step: RespondStep = {
      ...base,
      kind: "respond",
      status:
        respond["status"] === undefined
          ? { constant: 200 }
          : preparer.value(respond["status"], [...at, "status"]),
      ...values(preparer, respond, at, ["headers", "body"]),
    };
    checkRespond(preparer, step, at, preparer.responses);
    return step;
  },

  finish(preparer, raw, path, base) {
    const message = preparer.template(raw["finish"], [...path, "finish"]);
    return message && { ...base, kind: "finish", message };
  },

  fail(preparer, raw, path, base) {
    const message = preparer.template(raw["fail"], [...path, "fail"]);
    return message && { ...base, kind: "fail", message };
  },

  note(preparer, raw, path, base) {
    const text = preparer.template(raw["note"], [...path, "note"]);
    return text && { ...base, kind: "note", text };
  },
};

function refuseSet(preparer: Preparer, list: Json[], path: Path, where: string): void {
  list.forEach((step, index) => {
    if (!isObject(step)) return;
    const at = [...path, index];
    if (step["set"] !== undefined) {
      preparer.source.reportKey(
        at,
        "set",
        "wrong-value",
        `A variable cannot be set ${where} would overwrite each other. Read the outcome of a step instead, or in a loop give the value to collect.`,
      );
    }
    for (const inner of innerLists(step)) refuseSet(preparer, inner.list, [...at, ...inner.path], where);
  });
}
