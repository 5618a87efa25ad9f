import { renderTemplate } from "../../expressions/templates.js";
import { parseTimestamp } from "../../expressions/library/times.js";
import { durationHint, parseDuration } from "../../values/durations.js";
import { printJson, type Json } from "../../values/json.js";
import type { WaitStep } from "../../workflows/steps.js";
import type { StepLog } from "../replayed.js";
import { StepFailed } from "../signals.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";
import { evaluated, settled, takeEnded } from "./ended.js";

/** Waits for a duration, or until a time. The time to wake is decided once, when the wait begins. */
export async function walkWait(walk: Walk, step: WaitStep, frame: Frame, log: StepLog): Promise<void> {
  if (takeEnded(walk, step, frame, log)) return;
  const path = frame.prefix + step.name;
  walk.progress.check(frame, path);
  if (!log.begun) {
    const at = walk.ports.clock.now();
    const until = evaluated(walk, step, frame, log, () => wakeTime(walk, step, path, frame, at));
    walk.write.note({ type: "begun", path, kind: "wait", at, data: { until } });
  }
  if (!walk.rehearsal) await walk.progress.sleepUntil(log.begun?.data["until"] as number, frame, path);
  const at = walk.ports.clock.now();
  const outcome = { woke: new Date(at).toISOString() };
  settled(walk, step, frame, at, outcome);
}

function wakeTime(walk: Walk, step: WaitStep, path: string, frame: Frame, at: number): number {
  const template = step.for ?? step.at;
  const field = step.for ? "wait.for" : "wait.at";
  const value =
    walk.read.guarded(
      path,
      field,
      () => template && renderTemplate(template, walk.read.scope(frame), walk.read.surroundings(path, at)),
    ) ?? null;
  const wrong = (hint: string): never => {
    throw new StepFailed({
      code: "bad-value",
      message: `${field} is ${shown(value)}. ${hint}`,
      step: path,
      field,
    });
  };
  if (step.for) {
    const millis = typeof value === "string" ? parseDuration(value) : undefined;
    return millis === undefined || millis < 0 ? wrong(durationHint(String(value))) : at + millis;
  }
  const time = typeof value === "string" ? parseTimestamp(value) : undefined;
  return (
    time?.millis ??
    wrong("A time is RFC 3339 text, such as 2027-03-01T05:00:00Z, or what now() + duration(…) gives.")
  );
}

function shown(value: Json): string {
  return printJson(value).slice(0, 80);
}
