import {
  CannotRepeat,
  compile,
  ExpressionError,
  firstChangedStep,
  fixedOutcomes,
  reusedEntries,
  reusedSteps,
  outline,
  type Entry,
  secretPlaces,
  type JsonObject,
  type Path,
  type RepeatFrom,
  type RunOptions,
  type Principal,
  readPrincipal,
} from "@copper-kettle/core";
import type { RunOptionsInput } from "@copper-kettle/contract";
import type { JournalStore } from "../store/journal.js";
import type { RunRecord } from "../store/models.js";
import type { WorkflowStore } from "../store/workflows.js";
import { lastAnswers } from "./rehearsed.js";
import { BadOptions, WrongState, type StartRequest } from "./start-request.js";

interface Stores {
  journals: JournalStore;
  workflows: WorkflowStore;
}

/** What keeps an expression from being read. */
function unreadable(text: string, field: string): { field: string; message: string }[] {
  try {
    compile(text);
    return [];
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    return [{ field, message: error.message }];
  }
}

/** What a run by hand is asked to do, checked against the file that runs. */
export async function optionsOf(
  { journals, workflows }: Stores,
  name: string,
  text: string,
  given: RunOptionsInput | undefined,
): Promise<Pick<StartRequest, "options" | "secrets" | "secretPlaces">> {
  if (!given) return {};
  const { fixedFrom, fixed, ...rest } = given;
  const { partial } = await workflows.parsed(text);
  const names = outline(partial?.steps ?? []).map(({ name }) => name);
  const asked: [string, string | undefined][] = [
    ["options.only.step", rest.only?.step],
    ["options.to", rest.to],
    ...(rest.faults ?? []).map(({ step }, index): [string, string] => [
      `options.faults[${index}].step`,
      step,
    ]),
    ...(rest.breakpoints ?? []).map((one, index): [string, string] => [
      `options.breakpoints[${index}]`,
      typeof one === "string" ? (one.split("/").at(-1) ?? one) : one.step,
    ]),
  ];
  const faults = asked
    .filter(([, name]) => name !== undefined && !names.includes(name))
    .map(([field, name]) => ({ field, message: `There is no step "${name}".` }));
  for (const [index, one] of (rest.breakpoints ?? []).entries())
    if (typeof one !== "string" && one.when !== undefined)
      faults.push(...unreadable(one.when, `options.breakpoints[${index}].when`));
  if (faults.length > 0) throw new BadOptions(faults);
  const source = fixedFrom === undefined ? undefined : await journals.runs.find(fixedFrom);
  if (fixedFrom !== undefined && !source)
    throw new BadOptions([{ field: "options.fixedFrom", message: `There is no run ${fixedFrom}.` }]);
  const known = source
    ? fixedOutcomes((await journals.load(source.id, source.workflow)).entries, rest.only?.item)
    : undefined;
  const all = { ...known, ...fixed };
  const last = rest.rehearsal ? await lastAnswers({ journals, workflows }, name, text) : undefined;
  const options: RunOptions = {
    ...(rest as RunOptions),
    ...(known || fixed ? { fixed: all as JsonObject } : {}),
    ...(last ? { responses: last.responses } : {}),
  };
  const secrets = [...(source ? await journals.secrets(source.id) : []), ...(last?.secrets ?? [])];
  const places = [
    ...fixedPlaces(options.fixed, source ? await journals.secretPlaces(source.id) : []),
    ...secretsNamed(options, "fixed"),
    ...secretsNamed(options, "responses"),
    ...(last?.places ?? []),
    ...(options.faults ?? []).flatMap(({ body }, index) =>
      secretPlaces(body ?? null, ["options", "faults", index, "body"]),
    ),
  ];
  return {
    options,
    ...(secrets.length > 0 ? { secrets } : {}),
    ...(places.length > 0 ? { secretPlaces: places } : {}),
  };
}

/** Where secrets of an earlier run lie in what is fixed of it, and in the steps that take it over. */
function fixedPlaces(fixed: JsonObject | undefined, places: Path[]): Path[] {
  return places.flatMap((place) => {
    const [root, name, ...rest] = place;
    if (root !== "steps" || name === undefined || !fixed || !(name in fixed)) return [];
    return [place, ["options", "fixed", name, ...rest]];
  });
}

/** Secrets by the names of their fields. */
function secretsNamed(options: RunOptions, part: "fixed" | "responses"): Path[] {
  return secretPlaces(options[part] ?? {}).flatMap(([name = "", ...rest]) => [
    ["options", part, name, ...rest],
    ...(part === "fixed" ? [["steps", name, ...rest]] : []),
  ]);
}

export interface AgainRequest {
  inputs?: JsonObject | undefined;
  version: "then" | "now" | "draft";
  from?: string | undefined;
  failedItems?: string | undefined;
  newKeys: boolean;
  options?: RunOptionsInput | undefined;
}

/**
 * The start of a run that repeats another: whole, from a step on, or the failed items of a loop.
 * @throws CannotRepeat, WrongState
 */
export async function repeatOf(
  stores: Stores,
  row: RunRecord,
  again: AgainRequest & { by: Principal },
): Promise<StartRequest> {
  const { journals, workflows } = stores;
  const { entries } = await journals.loadWhole(row);
  const started = entries[0];
  if (started?.type !== "started") throw new WrongState("The run did nothing yet that could be repeated.");
  const what = await versionOf(workflows, row, again);
  const from = fromOf(again);
  if (from) await checkFrom(workflows, row, what.text, from, again);
  if (from && row.endedAt === null)
    throw new WrongState(`The run has not ended: it is ${row.state}. Stop it first, or decide about it.`);
  const { options, secrets, secretPlaces } = await optionsOf(stores, row.workflow, what.text, again.options);
  if (from) reusedEntries(await workflows.ready(row.workflow, what.text), from, entries);
  const all: RunOptions = { ...options, ...(from ? { from: { run: row.id, ...from } } : {}) };
  return {
    workflow: row.workflow,
    ...what,
    inputs: again.inputs ?? ((started.inputs ?? {}) as JsonObject),
    key: undefined,
    by: again.by,
    filesOf: { kind: "run", id: row.id },
    secrets: [...(secrets ?? []), ...(await journals.secrets(row.id))],
    secretPlaces: [
      ...(secretPlaces ?? []),
      ...(await journals.secretPlaces(row.id)).filter(([root]) => from !== undefined || root === "inputs"),
    ],
    ...(Object.keys(all).length > 0 ? { options: all } : {}),
    ...(from && !again.newKeys ? { origin: row.origin } : {}),
  };
}

function fromOf({ from, failedItems }: AgainRequest): RepeatFrom | undefined {
  if (from !== undefined && failedItems !== undefined)
    throw new CannotRepeat("Give either the step to repeat from, or the loop whose failed items to repeat.");
  if (failedItems !== undefined) return { step: failedItems, items: "failed" };
  return from === undefined ? undefined : { step: from };
}

async function versionOf(
  workflows: WorkflowStore,
  row: RunRecord,
  { version, by }: { version: AgainRequest["version"]; by: Principal },
): Promise<{ version: number; text: string; principal: Principal | undefined }> {
  if (version === "then") {
    const published = row.version > 0 ? await workflows.version(row.workflow, row.version) : null;
    return {
      version: row.version,
      text: row.text,
      principal: published ? readPrincipal(published.publishedBy) : by,
    };
  }
  const found = await workflows.startable(row.workflow);
  if (!found)
    throw new WrongState(
      `The workflow ${row.workflow} was removed. Only the version of that run can be used.`,
    );
  if (version === "draft") return { version: 0, text: found.draft, principal: by };
  if (!found.published) throw new WrongState(`The workflow ${row.workflow} was never published.`);
  return found.published;
}

/** On another version only steps that did not change are reused; with other inputs none are. */
async function checkFrom(
  workflows: WorkflowStore,
  row: RunRecord,
  text: string,
  from: RepeatFrom,
  again: AgainRequest,
): Promise<void> {
  if (again.inputs)
    throw new CannotRepeat(
      "You changed the inputs, so the results of the earlier steps no longer apply. Repeat the whole run, or keep the original inputs.",
    );
  if (text === row.text) return;
  const kept = reusedSteps(await workflows.ready(row.workflow, text), from);
  const changed = firstChangedStep(await workflows.text(row.text), await workflows.text(text), [
    ...kept,
    ...(from.items ? [from.step] : []),
  ]);
  if (changed !== undefined)
    throw new CannotRepeat(
      `Step ${changed} differs in that version, so its result cannot be reused. Repeat from ${changed}, or from an earlier step.`,
    );
}

/** The entries that a run keeps of the one that it repeats, as `read` gives them, with its own. */
export async function withReused(
  { workflows, journals }: Pick<Stores, "workflows" | "journals">,
  row: RunRecord,
  own: Entry[],
  read: (source: RunRecord) => Promise<Entry[]>,
): Promise<Entry[]> {
  const [started, ...rest] = own;
  const from = started?.type === "started" ? started.options?.from : undefined;
  if (!from || !started) return own;
  const source = await journals.runs.find(from.run);
  if (!source) throw new WrongState(`The run ${from.run}, whose results it reuses, was deleted.`);
  const entries = await read(source);
  const workflow = await workflows.ready(row.workflow, row.text);
  return [started, ...reusedEntries(workflow, from, entries), ...rest];
}
