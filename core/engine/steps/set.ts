import { setOwn, type Json, type JsonObject } from "../../values/json.js";
import { renderValue, type SetStep } from "../../workflows/steps.js";
import type { StepLog } from "../replayed.js";
import { derivedSecrets } from "../secrets.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";
import { evaluated, settled, takeEnded } from "./ended.js";

/** Sets variables. A value that was made from a secret is one itself from here on. */
export async function walkSet(walk: Walk, step: SetStep, frame: Frame, log: StepLog): Promise<void> {
  if (!takeEnded(walk, step, frame, log)) {
    const path = frame.prefix + step.name;
    walk.progress.check(frame, path);
    const at = walk.ports.clock.now();
    const scope = walk.read.scope(frame);
    const outcome: JsonObject = {};
    const masked: (string | number)[][] = [];
    for (const [name, value] of step.values) {
      const rendered = evaluated(walk, step, frame, log, () =>
        walk.read.guarded(path, `set.${name}`, () =>
          renderValue(value, scope, walk.read.surroundings(path, at)),
        ),
      );
      setOwn(outcome, name, rendered ?? null);
      if (
        derivedSecrets(walk, value, rendered ?? null, scope, [
          ["variables", name],
          ["steps", step.name, name],
        ])
      ) {
        masked.push(["outcome", name]);
      }
    }
    settled(walk, step, frame, at, outcome, { masked });
  }
  const values = log.ended?.outcome as JsonObject;
  for (const name of Object.keys(values)) setOwn(walk.read.variables, name, values[name] as Json);
}
