import { bounds } from "@copper-kettle/core";

/** Deliveries by address in this minute, and bodies that are coming in. */
export class Traffic {
  readonly #byAddress = new Map<string, number>();
  #minute = 0;
  #refused = new Map<string, number>();
  /** When the last deliveries of each webhook that has a rate limit came, the oldest first. */
  readonly #last = new Map<string, number[]>();
  bodies = 0;
  bytes = 0;

  /** Whether an address sent more in this minute than it may. */
  isTooMuch(address: string): boolean {
    this.#turn();
    const count = (this.#byAddress.get(address) ?? 0) + 1;
    if (this.#byAddress.size < 100_000) this.#byAddress.set(address, count);
    return count > bounds.deliveries;
  }

  /**
   * Whether a webhook has had as many deliveries as it takes in any stretch of the time.
   * @returns how long its sender has to wait then, in seconds; undefined if this one counts
   */
  isOver(trigger: string, { calls, per }: { calls: number; per: number }): number | undefined {
    const now = Date.now();
    let last = this.#last.get(trigger);
    if (!last) this.#last.set(trigger, (last = []));
    const fresh = last.findIndex((at) => at + per > now && at <= now);
    last.splice(0, fresh < 0 ? last.length : fresh);
    const oldest = last[last.length - calls];
    if (oldest !== undefined) return Math.max(1, Math.ceil((oldest + per - now) / 1_000));
    last.push(now);
    return undefined;
  }

  /** Whether one more refused delivery of a trigger is worth a row. */
  notes(trigger: string): boolean {
    this.#turn();
    const count = (this.#refused.get(trigger) ?? 0) + 1;
    if (this.#refused.size < 10_000) this.#refused.set(trigger, count);
    return count <= bounds.refusedDeliveries;
  }

  #turn(): void {
    const minute = Math.floor(Date.now() / 60_000);
    if (minute === this.#minute) return;
    this.#minute = minute;
    this.#byAddress.clear();
    this.#refused.clear();
  }
}
