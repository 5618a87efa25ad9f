import { renderTemplate } from "../../expressions/templates.js";
import { toText } from "../../expressions/values.js";
import type { StopStep } from "../../workflows/steps.js";
import type { StepLog } from "../log.js";
import { derivedSecrets } from "../secrets.js";
import { Stopped } from "../signals.js";
import type { Frame, Walk } from "../walk.js";
import { evaluated } from "./ended.js";

/** Ends the whole run, as succeeded or as failed. */
export async function walkStop(walk: Walk, step: StopStep, frame: Frame, log: StepLog): Promise<void> {
  const path = frame.prefix + step.name;
  if (!log.ended) {
    walk.checkSignals(frame, path);
    const at = walk.ports.clock.now();
    const scope = walk.scope(frame);
    const { message } = step;
    const text = message
      ? evaluated(walk, step, frame, log, () =>
          walk.guarded(
            path,
            "stop.message",
            () => renderTemplate(message, scope, walk.surroundings(path, at)) ?? null,
          ),
        )
      : null;
    const masked =
      message && derivedSecrets(walk, { template: message }, text, scope, []) ? [["outcome", "message"]] : [];
    walk.note({ type: "ended", path, kind: "stop", at, outcome: { as: step.as, message: text }, masked });
  }
  if (log.ended?.error) walk.fail(frame, step, log, log.ended.error);
  const message = (log.ended?.outcome as { message: string | null }).message;
  throw new Stopped(step.as, message === null ? undefined : toText(message), path);
}
