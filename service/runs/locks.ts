import type { Locks } from "@copper-kettle/core";
import type { RunStore } from "../store/runs.js";

interface Held {
  run: string;
  path: string;
}

/** Names that one step at a time may hold. The rows of the journal's commits make them last. */
export class LockKeeper {
  readonly #held = new Map<string, Held>();
  readonly #waiting = new Map<string, { run: string; come: () => void }[]>();

  /** @param digest what stands for a name that must not be shown */
  constructor(readonly digest: (name: string) => string) {}

  async loadAll(runs: RunStore): Promise<void> {
    for (const row of await runs.locks()) this.#held.set(row.name, { run: row.run, path: row.path });
  }

  all(): ({ name: string } & Held)[] {
    return [...this.#held].map(([name, held]) => ({ name, ...held }));
  }

  /** The runs that wait for a name in memory, the next one first. */
  waiting(name: string): string[] {
    return (this.#waiting.get(name) ?? []).map(({ run }) => run);
  }

  /** The locks as one run sees them. */
  of(run: string): Locks {
    return {
      take: (name, path) => {
        const held = this.#held.get(name);
        if (held) return held.run === run && held.path === path ? "had" : "busy";
        this.#held.set(name, { run, path });
        return "taken";
      },
      wait: (name, millis, signal) => this.#wait(run, name, millis, signal as globalThis.AbortSignal),
      secretName: (name) => `made of a secret (${this.digest(name).slice(0, 16)})`,
      holder: (name) => this.#held.get(name)?.run,
      release: (name, path) => {
        const held = this.#held.get(name);
        if (held?.run === run && held.path === path) this.#free(name);
      },
    };
  }

  /** A run has ended: what it still holds is free. */
  releaseAll(run: string): void {
    for (const [name, held] of this.#held) if (held.run === run) this.#free(name);
  }

  #free(name: string): void {
    this.#held.delete(name);
    this.#waiting.get(name)?.shift()?.come();
  }

  #wait(run: string, name: string, millis: number, signal: globalThis.AbortSignal): Promise<boolean> {
    if (!this.#held.has(name)) return Promise.resolve(true);
    return new Promise((resolve) => {
      const queue = this.#waiting.get(name) ?? [];
      this.#waiting.set(name, queue);
      const end = (free: boolean): void => {
        clearTimeout(timer);
        signal.removeEventListener("abort", leave);
        const at = queue.indexOf(waiter);
        if (at >= 0) queue.splice(at, 1);
        if (queue.length === 0) this.#waiting.delete(name);
        resolve(free);
      };
      const waiter = { run, come: (): void => end(true) };
      const leave = (): void => end(false);
      const timer = setTimeout(leave, millis);
      signal.addEventListener("abort", leave, { once: true });
      queue.push(waiter);
    });
  }
}
