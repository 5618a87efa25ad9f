import {
  dueAt,
  evaluateIn,
  isObject,
  nextBeat,
  type JsonObject,
  type PollTrigger,
  type ReadyTrigger,
  type Schedule,
  type ScheduleTrigger,
  type Workflow,
} from "@copper-kettle/core";
import type { WorkflowStore } from "../store/workflows.js";
import type { Wanted } from "../store/triggers.js";

/** What distinguishes a schedule from all others. */
export const scheduleName = (workflow: string, trigger: string): string => `${workflow} ${trigger}`;

/** A schedule with the dates that a constant lists left out, too. */
export function scheduleOf({ schedule, exceptFrom }: ScheduleTrigger, constants: JsonObject): Schedule {
  if (!exceptFrom?.alone) return schedule;
  let listed: unknown;
  try {
    listed = evaluateIn(exceptFrom.alone, { trigger: {}, constants, id: "", at: 0 });
  } catch {
    listed = undefined; // no such constant: nothing is left out
  }
  const dates = Array.isArray(listed) ? listed.filter((one): one is string => typeof one === "string") : [];
  return { ...schedule, except: [...schedule.except, ...dates] };
}

/** The next time of a trigger after an instant, and when it is carried out; nulls for what has no times. */
export function nextOf(
  ready: ReadyTrigger | undefined,
  {
    workflow,
    name,
    constants,
    after,
  }: { workflow: string; name: string; constants: JsonObject; after: number },
): Pick<Wanted, "beat" | "dueAt"> {
  // A poll looks at once when it comes into force, and then in its own time.
  if (ready?.kind === "poll") return { beat: after, dueAt: after };
  if (ready?.kind !== "schedule") return { beat: null, dueAt: null };
  const schedule = scheduleOf(ready, constants);
  const own = scheduleName(workflow, name);
  const beat = nextBeat(schedule, after, own);
  return beat === undefined ? { beat: null, dueAt: null } : { beat, dueAt: dueAt(schedule, beat, own) };
}

/** What a workflow wants of its triggers from now on. */
export function wantedOf(workflow: Workflow, constants: JsonObject, now: number): Wanted[] {
  return Object.entries(workflow.triggers).map(([name, ready]) => ({
    name,
    kind: ready.kind,
    was: ready.was,
    expectWithin: ready.successWithin,
    path: ready.kind === "webhook" ? ready.path : null,
    ...nextOf(ready, { workflow: workflow.name, name, constants, after: now }),
  }));
}

/** What the ids of a poll, and what makes its items count, are made of: where that is another, it begins anew. */
export const madeOf = ({ idOf, changed, gone }: PollTrigger): string =>
  [idOf?.text ?? "", changed?.text ?? "", ...(gone ? ["gone"] : [])].join("\n");

/** What follows for the polls of a workflow when another text of it comes into force. */
export function begunAnew(before: Workflow, after: Workflow): string[] {
  return Object.entries(after.triggers).flatMap(([name, ready]) => {
    const older = triggerOf(before, ready.was ?? name) ?? triggerOf(before, name);
    if (ready.kind !== "poll" || older?.kind !== "poll" || madeOf(ready) === madeOf(older)) return [];
    return [
      `The poll ${name} tells its items by something else now: what its next look reads counts as known, and starts nothing.`,
    ];
  });
}

/** Brings the triggers of all published versions into force: of those that were published before there were triggers. */
export async function armAll(workflows: WorkflowStore, constants: JsonObject, now: number): Promise<void> {
  for (const { name, published } of await workflows.all()) {
    const found = published === null ? undefined : (await workflows.startable(name))?.published;
    if (!found || (await workflows.triggers.list(name)).some(({ version }) => version === found.version))
      continue;
    const file = await workflows.ready(name, found.text).catch(() => undefined);
    if (!file || Object.keys(file.triggers).length === 0) continue;
    const wanted = wantedOf(file, constants, now);
    await workflows.writer.write(() => workflows.triggers.arm(name, found.version, wanted, now));
  }
}

/** A trigger of a workflow's text, by its name. */
export function triggerOf(workflow: Workflow, name: string): ReadyTrigger | undefined {
  const ready = workflow.triggers[name];
  return isObject(ready as never) ? ready : undefined;
}
