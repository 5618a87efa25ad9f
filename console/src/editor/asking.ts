import type { Answer, Asked, What } from "./messages.js";

const worker = new Worker(new URL("./worker.ts", import.meta.url), { type: "module" });
const waiting = new Map<number, { give: (answer: never) => void; fail: (error: Error) => void }>();
let last = 0;

worker.addEventListener("message", ({ data }: MessageEvent<Answer>) => {
  const asked = waiting.get(data.id);
  waiting.delete(data.id);
  if ("fault" in data) asked?.fail(new Refused(data.fault));
  else asked?.give(data.answer as never);
});
worker.addEventListener("error", (event) => {
  const error = new Error(event.message || "The editor's worker could not be started.");
  for (const { fail } of waiting.values()) fail(error);
  waiting.clear();
});

/** An edit cannot be made, or a text cannot be read; `message` says why, for people. */
export class Refused extends Error {
  override name = "Refused";
}

/**
 * Asks the worker.
 * @throws Refused
 */
export function ask<W extends What>(what: W, question: Asked[W]["ask"]): Promise<Asked[W]["answer"]> {
  const id = ++last;
  return new Promise((give, fail) => {
    waiting.set(id, { give, fail });
    // What is reactive cannot be sent as it is. The values of a run are text, and may be long.
    const plain = what === "values" ? { ...question } : JSON.parse(JSON.stringify(question));
    worker.postMessage({ id, what, ask: plain });
  });
}
