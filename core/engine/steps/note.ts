import { renderTemplate } from "../../expressions/templates.js";
import type { NoteStep } from "../../workflows/steps.js";
import type { StepLog } from "../replayed.js";
import { derivedSecrets } from "../secrets.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";
import { evaluated, settled, takeEnded } from "./ended.js";

/** Writes a text into the journal. */
export async function walkNote(walk: Walk, step: NoteStep, frame: Frame, log: StepLog): Promise<void> {
  if (takeEnded(walk, step, frame, log)) return;
  const path = frame.prefix + step.name;
  walk.progress.check(frame, path);
  const at = walk.ports.clock.now();
  const scope = walk.read.scope(frame);
  const text = evaluated(walk, step, frame, log, () =>
    walk.read.guarded(
      path,
      "note",
      () => renderTemplate(step.text, scope, walk.read.surroundings(path, at)) ?? null,
    ),
  );
  const masked = derivedSecrets(walk, { template: step.text }, text, scope, [["steps", step.name]])
    ? [["outcome"]]
    : [];
  settled(walk, step, frame, at, text, { masked });
}
