import { renderTemplate } from "../../expressions/templates.js";
import { toText } from "../../expressions/values.js";
import type { EndStep } from "../../workflows/steps.js";
import type { Frame } from "../frame.js";
import type { StepLog } from "../replayed.js";
import { derivedSecrets } from "../secrets.js";
import { Stopped } from "../signals.js";
import type { Walk } from "../walk.js";
import { evaluated } from "./ended.js";

/** Ends the whole run, as succeeded (`finish`) or as failed (`fail`), with a sentence. */
export async function walkEnd(walk: Walk, step: EndStep, frame: Frame, log: StepLog): Promise<void> {
  const path = frame.prefix + step.name;
  if (!log.ended) {
    walk.progress.check(frame, path);
    const at = walk.ports.clock.now();
    const scope = walk.read.scope(frame);
    const { kind, message: template } = step;
    const message = evaluated(walk, step, frame, log, () =>
      walk.read.guarded(
        path,
        kind,
        () => renderTemplate(template, scope, walk.read.surroundings(path, at)) ?? null,
      ),
    );
    const masked = derivedSecrets(walk, { template }, message, scope, []) ? [["outcome", "message"]] : [];
    walk.write.note({ type: "ended", path, kind, at, outcome: { message }, masked });
  }
  if (log.ended?.error) walk.write.fail(frame, step, log, log.ended.error);
  const { message } = log.ended?.outcome as { message: string | null };
  const state = step.kind === "finish" ? "succeeded" : "failed";
  throw new Stopped(state, message === null ? undefined : toText(message), path);
}
