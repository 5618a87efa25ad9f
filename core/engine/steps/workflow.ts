import { isObject, leafTexts, type Json, type JsonObject } from "../../values/json.js";
import type { Path } from "../../values/paths.js";
import { renderValue, type WorkflowStep } from "../../workflows/steps.js";
import type { StepLog } from "../replayed.js";
import { ChildRefused, type ChildEnd } from "../ports.js";
import { derivedPlaces, derivedSecrets } from "../secrets.js";
import { Stopped, TimedOut } from "../signals.js";
import type { Frame } from "../frame.js";
import { longestWaitInMemory } from "../progress.js";
import type { Walk } from "../walk.js";
import { evaluated, settled, takeEnded } from "./ended.js";

/** Starts a run of another workflow, once however often this is walked, and waits for its response if it is asked to. */
export async function walkWorkflow(
  walk: Walk,
  step: WorkflowStep,
  frame: Frame,
  log: StepLog,
): Promise<void> {
  if (takeEnded(walk, step, frame, log)) return;
  const path = frame.prefix + step.name;
  walk.progress.check(frame, path);
  if (!log.begun) begin(walk, step, frame, log, path);
  await walk.write.commit();
  const child = await start(walk, step, frame, log, path);
  if (step.inBackground) return settled(walk, step, frame, walk.ports.clock.now(), { run: child });
  const end = await ended(walk, step, frame, path, child);
  walk.write.secret(end.secrets, []);
  if (end.state !== "succeeded") {
    const how = end.error ? `: ${end.error.message}` : ".";
    walk.write.fail(frame, step, log, {
      code: end.state === "skipped" ? "busy" : "run-failed",
      message: `The run ${child} of ${step.called} ${end.state === "skipped" ? "was skipped" : `ended ${end.state}`}${how}`,
      ...(end.error?.status === undefined ? {} : { status: end.error.status }),
      ...(end.error?.body === undefined ? {} : { body: end.error.body }),
    });
  }
  const response: JsonObject = end.response ?? { status: 204, headers: {}, body: null };
  walk.write.secret(
    [],
    end.masked.map((place) => ["steps", step.name, ...place]),
  );
  const masked: Path[] = end.masked.map((place) => ["outcome", ...place]);
  settled(walk, step, frame, walk.ports.clock.now(), { run: child, ...response }, { masked });
}

function begin(walk: Walk, step: WorkflowStep, frame: Frame, log: StepLog, path: string): void {
  const at = walk.ports.clock.now();
  const scope = walk.read.scope(frame);
  const given = step.inputs;
  const inputs = given
    ? evaluated(walk, step, frame, log, () =>
        walk.read.guarded(
          path,
          "workflow.inputs",
          () => renderValue(given, scope, walk.read.surroundings(path, at)) ?? {},
        ),
      )
    : {};
  const masked =
    given && derivedSecrets(walk, given, inputs, scope, []) ? { masked: [["data", "inputs"]] } : {};
  const secret = given ? derivedPlaces(walk, given, inputs, scope) : [];
  const data = { called: step.called, inputs, ...(secret.length > 0 ? { secret: secret as Json } : {}) };
  walk.write.note({ type: "begun", path, kind: "workflow", at, data, ...masked });
}

async function start(
  walk: Walk,
  step: WorkflowStep,
  frame: Frame,
  log: StepLog,
  path: string,
): Promise<string> {
  const inputs = log.begun?.data["inputs"];
  try {
    return await walk.ports.children.start({
      workflow: step.called,
      inputs: isObject(inputs) ? inputs : {},
      path,
      waits: !step.inBackground,
      rehearsal: walk.rehearsal,
      secrets: secretsIn(walk, inputs ?? null),
      secretPlaces: (log.begun?.data["secret"] as Path[] | undefined) ?? [],
      depth: (walk.log.started?.trigger.caller?.depth ?? 0) + 1,
    });
  } catch (error) {
    if (!(error instanceof ChildRefused)) throw error;
    return walk.write.fail(frame, step, log, { code: error.code, message: error.message });
  }
}

/** More characters than this are not compared with the secrets of a run, each counted once for each secret. */
const mostCompared = 1e9;

/** Of the secrets of this run those that it hands on; all of them where which ones they are cannot be known, or takes long. */
function secretsIn(walk: Walk, inputs: Json): string[] {
  const showing = leafTexts(inputs).filter((text) => walk.secrets.masks.found(text));
  if (showing.length === 0) return [];
  const all = walk.secrets.masks.values();
  const text = showing.join("\u0000");
  if (text.length * all.length > mostCompared) return all;
  const plain = all.filter((secret) => text.includes(secret));
  return plain.length > 0 ? plain : all;
}

/** Waits for the end of the run that was called; where this step is stopped or out of time, that one is stopped, too. */
async function ended(
  walk: Walk,
  step: WorkflowStep,
  frame: Frame,
  path: string,
  child: string,
): Promise<ChildEnd> {
  const { children } = walk.ports;
  try {
    for (;;) {
      const end = await children.ended(child, longestWaitInMemory, walk.progress.signals.rouse);
      if (end) return end;
      walk.progress.check(frame, path);
      const reason = `Waits for the run ${child} of ${step.called}.`;
      await walk.progress.sleepUntil(Number.POSITIVE_INFINITY, frame, path, {
        kind: "run",
        name: child,
        reason,
      });
    }
  } catch (error) {
    if (error instanceof Stopped || error instanceof TimedOut) await children.stop(child);
    throw error;
  }
}
