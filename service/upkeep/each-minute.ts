import type { Logger } from "pino";

const minute = 60_000;

/** Does some work each minute, one after another; what fails is logged and keeps nothing else waiting. Returns how to end that. */
export function eachMinute(work: readonly (() => Promise<unknown>)[], log: Logger): () => void {
  let working = false;
  const timer = setInterval(() => {
    if (working) return;
    working = true;
    void (async () => {
      for (const one of work)
        try {
          await one();
        } catch (error) {
          log.warn({ err: error }, "a part of the minute's upkeep was not done");
        }
      working = false;
    })();
  }, minute);
  return () => clearInterval(timer);
}
