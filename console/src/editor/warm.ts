import { ask } from "./asking.js";

/** So often, and of so many steps: whoever opens a workflow meanwhile waits for one round at most. */
const [rounds, count] = [5, 60];

/**
 * Lets the worker read files before a workflow is opened. What a browser has run a few times it compiles, and hundreds of
 * steps are read in half the time.
 */
export async function warm(): Promise<void> {
  for (let round = 0; round < rounds; round++) {
    const steps = Array.from(
      { length: count },
      (_, index) =>
        `  - { step: s${index}, request: "GET https://huts.example/${round}", query: { at: "\${inputs.at}" } }\n`,
    );
    const text = `copper-kettle: 1\nname: warm\nsteps:\n${steps.join("")}`;
    await Promise.all([ask("outline", { text }), ask("check", { text })]);
  }
}
