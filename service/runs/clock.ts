import type { Clock } from "@copper-kettle/core";

/** The machine's clock. */
export const systemClock: Clock = {
  now: () => Date.now(),
  wait: (millis, signal) =>
    new Promise((resolve, reject) => {
      const abort = signal as globalThis.AbortSignal;
      if (abort.aborted) return reject(abort.reason as Error);
      const stop = (): void => {
        clearTimeout(timer);
        reject(abort.reason as Error);
      };
      const timer = setTimeout(() => {
        abort.removeEventListener("abort", stop);
        resolve();
      }, millis);
      abort.addEventListener("abort", stop, { once: true });
    }),
};
