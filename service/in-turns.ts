import { setImmediate } from "node:timers/promises";

/** So long may one piece of work hold up others, in milliseconds. */
const turnMillis = 2;

/** Does work that pauses now and then: others are served in its pauses, as often as a turn has taken its time. */
export async function inTurns<T>(work: Generator<undefined, T, undefined>): Promise<T> {
  let began = performance.now();
  for (let count = 1; ; count++) {
    const step = work.next();
    if (step.done === true) return step.value;
    // The clock costs more than many a step.
    if (count % 32 !== 0 || performance.now() - began < turnMillis) continue;
    await setImmediate();
    began = performance.now();
  }
}
