import { apisRoutes, workflowsRoutes, type Client } from "@copper-kettle/contract";
import type { Edited, JsonObject, Path, StepPlace } from "@copper-kettle/core";
import type { Command } from "commander";
import { existsSync, readFileSync, writeFileSync } from "node:fs";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import type * as language from "../language.js";
import { say, show } from "../output.js";

type Language = typeof language;

/** The text that is edited: of a file, or of the draft of a workflow. */
interface Target {
  text: string;
  /** Where it is written to, for people. */
  where: string;
  save: (text: string) => Promise<void>;
}

async function targetOf(target: string, client: () => Client): Promise<Target> {
  if (existsSync(target) || /[./\\]/.test(target)) {
    if (!existsSync(target)) throw new Exit(exitCodes.wrongUse, `There is no file ${target}.`);
    return {
      text: readFileSync(target, "utf8"),
      where: target,
      save: async (text) => writeFileSync(target, text),
    };
  }
  const params = { name: target };
  const { text, revision } = await client().call(workflowsRoutes.workflow, { params });
  return {
    text,
    where: `the draft of ${target}`,
    save: async (made) =>
      void (await client().call(workflowsRoutes.pushWorkflow, {
        params,
        body: { text: made, base: revision },
      })),
  };
}

/** Makes an edit, saves it, and says what a person should know of it. */
async function edit(
  command: Command,
  target: string,
  make: (text: string, language: Language) => Edited | Promise<Edited>,
): Promise<void> {
  const globals = globalsOf(command);
  const found = await targetOf(target, () => clientOf(globals));
  const language = await import("../language.js");
  let edited: Edited;
  try {
    edited = await make(found.text, language);
  } catch (error) {
    if (!(error instanceof language.CannotEdit)) throw error;
    throw new Exit(exitCodes.wrongUse, error.message);
  }
  await found.save(edited.text);
  const broken = language.brokenReads(found.text, edited.text);
  for (const note of edited.notes) say(note);
  for (const one of broken) {
    const instead = one.instead.length > 0 ? ` It could read: ${one.instead.join(", ")}.` : "";
    say(`${language.brokenText(one)}${instead}`);
  }
  const { problems } = language.readWorkflow(edited.text);
  const place = language.printPath(edited.path);
  show(
    globals,
    { target: found.where, place, notes: edited.notes, broken, problems: problems.length },
    () => `${found.where}: changed${place === "" ? "" : ` at ${place}`}`,
  );
}

interface Where {
  after?: string;
  before?: string;
  in?: string;
}

/** `--after guest`, `--before guest`, `--in known.then`; without any the end of the file. */
function placeIn(text: string, { after, before, in: inside }: Where, language: Language): StepPlace {
  const { placeOf, valueOfText, valueAt, linesOf, CannotEdit } = language;
  const beside = after ?? before;
  if (beside !== undefined) {
    const path = placeOf(text, beside);
    return { list: path.slice(0, -1), index: Number(path.at(-1)) + (after === undefined ? 0 : 1) };
  }
  let list: Path = ["steps"];
  if (inside !== undefined) {
    const [name = "", ...rest] = inside.split(".");
    const path = placeOf(text, name);
    const branches = (linesOf(text) ?? []).filter(
      (line) => line.what === "branch" && language.holderOf([...line.path, 0])?.join() === path.join(),
    );
    const step = valueAt(valueOfText(text), path) as JsonObject;
    const wanted = rest.join(".").replaceAll("-", " ");
    const branch = branches.find(({ kind }) => kind === wanted || kind === `branch ${wanted}`);
    if (wanted === "" && "each" in step) list = [...path, "steps"];
    else if (wanted === "" && "group" in step) list = [...path, "group", "steps"];
    else if (branch) list = branch.path;
    else if (wanted === "catch") list = [...path, "catch"];
    else
      throw new CannotEdit(
        branches.length === 0
          ? `The step ${name} holds no steps. Only --in ${name}.catch can be made.`
          : `Say which branch: ${branches.map(({ kind }) => `--in ${name}.${kind.replace(/^branch /, "").replaceAll(" ", "-")}`).join(", ")}`,
      );
  }
  const found = valueAt(valueOfText(text), list);
  return { list, index: Array.isArray(found) ? found.length : 0 };
}

const aPlace = (command: Command): Command =>
  command
    .option("--after <step>", "behind this step")
    .option("--before <step>", "before this step")
    .option("--in <step.branch>", "at the end of a branch, such as known.then, known.else, round");
const aTarget = "a file, or the name of a workflow: its draft";

/** The twins of what the editor of the console does. */
export function addWorkflowEdits(group: Command): void {
  group
    .command("new")
    .description("make a new workflow: a draft, or a file")
    .argument("<name>")
    .option("--title <title>")
    .option("--trigger <kind>", "by-hand, schedule, webhook or poll", "by-hand")
    .option("-o, --output <file>", "write a file instead of a draft")
    .action(
      async (
        name: string,
        options: { title?: string; trigger: string; output?: string },
        command: Command,
      ) => {
        const globals = globalsOf(command);
        const { newWorkflow, newTrigger, triggerKinds, workflowName } = await import("../language.js");
        const kind = triggerKinds.find((one) => one === options.trigger);
        if (!kind) throw new Exit(exitCodes.wrongUse, `A trigger is one of ${triggerKinds.join(", ")}.`);
        if (!workflowName.test(name))
          throw new Exit(exitCodes.wrongUse, `"${name}" is no name: a-z, 0-9 and dashes, at most 64.`);
        const trigger = { name: kind.replaceAll("-", "_"), kind, about: newTrigger(kind, name) };
        const text = newWorkflow({
          name,
          ...(options.title ? { title: options.title } : {}),
          trigger,
          steps: [],
        });
        if (options.output !== undefined) {
          if (existsSync(options.output))
            throw new Exit(exitCodes.wrongUse, `${options.output} is there already.`);
          writeFileSync(options.output, text);
        } else
          await clientOf(globals).call(workflowsRoutes.pushWorkflow, {
            params: { name },
            body: { text, base: 0 },
          });
        show(globals, { name, text }, () => `${options.output ?? `the draft of ${name}`}: made`);
      },
    );
  aPlace(
    group
      .command("add-step")
      .description("add a step: of a kind, an operation, a request, or written steps")
      .argument("<target>", aTarget)
      .argument("<what>", 'a kind such as if, an operation, a request such as "GET https://…", or - for YAML')
      .option("--name <name>", "the name of the step"),
  ).action(async (target: string, what: string, options: Where & { name?: string }, command: Command) => {
    const globals = globalsOf(command);
    await edit(command, target, async (text, language) => {
      const place = placeIn(text, options, language);
      if (what === "-") return language.pasteSteps(text, place, readFileSync(0, "utf8"));
      const made = await stepOf(what, text, language, () => clientOf(globals));
      return language.addStep(
        text,
        place,
        options.name === undefined ? made : { ...made, step: options.name },
      );
    });
  });
  group
    .command("remove-step")
    .description("remove a step; says who reads it")
    .argument("<target>", aTarget)
    .argument("<step>")
    .action((target: string, step: string, _options: unknown, command: Command) =>
      edit(command, target, (text, language) => language.removeStep(text, language.placeOf(text, step))),
    );
  aPlace(
    group
      .command("move-step")
      .description("move a step with the comments above it")
      .argument("<target>", aTarget)
      .argument("<step>"),
  ).action((target: string, step: string, options: Where, command: Command) =>
    edit(command, target, (text, language) =>
      language.moveStep(text, language.placeOf(text, step), placeIn(text, options, language)),
    ),
  );
  group
    .command("rename-step")
    .description("rename a step, with everything that reads it")
    .argument("<target>", aTarget)
    .argument("<from>")
    .argument("<to>")
    .action((target: string, from: string, to: string, _options: unknown, command: Command) =>
      edit(command, target, (text, language) => {
        const made = language.rename(text, "step", from, to);
        return { text: made, path: language.placeOf(made, to), notes: [] };
      }),
    );
  group
    .command("duplicate-step")
    .description("put a copy of a step behind it; what reads itself inside of it reads the copy")
    .argument("<target>", aTarget)
    .argument("<step>")
    .action((target: string, step: string, _options: unknown, command: Command) =>
      edit(command, target, (text, language) => language.duplicateStep(text, language.placeOf(text, step))),
    );
  group
    .command("set")
    .description("set a field of the file, or of a step")
    .argument("<target>", aTarget)
    .argument("<field>", "such as title, limits.parallel, or with --step: query.email, retry.times")
    .argument("<value>", "JSON, or a plain text")
    .option("--step <step>")
    .action((target: string, field: string, value: string, options: { step?: string }, command: Command) =>
      edit(command, target, (text, language) => {
        const path = fieldPath(text, field, options.step, language);
        return { text: language.setInOrder(text, path, language.valueOfWords(value)), path, notes: [] };
      }),
    );
  group
    .command("unset")
    .description("remove a field of the file, or of a step")
    .argument("<target>", aTarget)
    .argument("<field>")
    .option("--step <step>")
    .action((target: string, field: string, options: { step?: string }, command: Command) =>
      edit(command, target, (text, language) => {
        const path = fieldPath(text, field, options.step, language);
        return { text: language.removeField(text, path), path: path.slice(0, -1), notes: [] };
      }),
    );
  group
    .command("duplicate")
    .description("copy a workflow under another name; lists what the copy is tied to")
    .argument("<name>")
    .argument("<new-name>")
    .option("--title <title>")
    .action(async (name: string, copy: string, options: { title?: string }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const language = await import("../language.js");
      const { text } = await client.call(workflowsRoutes.workflow, { params: { name } });
      let made = language.setField(text, ["name"], copy);
      if (options.title !== undefined) made = language.setInOrder(made, ["title"], options.title);
      await client.call(workflowsRoutes.pushWorkflow, {
        params: { name: copy },
        body: { text: made, base: 0 },
      });
      const ties = language.tiesOf(made);
      show(globals, { name: copy, ties }, () =>
        [
          `the draft of ${copy}: made`,
          ...ties.map(({ kind, name: tied, steps }) => `  ${kind} ${tied}: ${steps.join(", ")}`),
        ].join("\n"),
      );
    });
}

async function stepOf(
  what: string,
  text: string,
  language: Language,
  client: () => Client,
): Promise<JsonObject> {
  const { newStep, stepKinds, stepOfLine, stepOfOperation, operationName, readApi, operationById } = language;
  if (/^[A-Z]+ \S/.test(what)) return stepOfLine(what, { constants: {}, credentials: [], apis: [] }).step;
  if ((stepKinds as readonly string[]).includes(what) && what !== "operation") return newStep(what);
  const named = operationName(what);
  if (!named) throw new Exit(exitCodes.wrongUse, `"${what}" is no kind of step: ${stepKinds.join(", ")}.`);
  const document = await client().call(apisRoutes.apiDocument, { params: { name: named.api } });
  const operation = operationById(readApi(document as JsonObject).operations, named.id);
  if (!operation) throw new Exit(exitCodes.wrongUse, `The API ${named.api} has no operation ${named.id}.`);
  const file = language.valueOfText(text) as JsonObject;
  return stepOfOperation(named.api, operation, language.inputNames(file));
}

/** `query.email` of a step or of the file, as a place in the text. */
function fieldPath(text: string, field: string, step: string | undefined, language: Language): Path {
  const path = language.parsePath(field);
  return step === undefined ? path : [...language.placeOf(text, step), ...path];
}
