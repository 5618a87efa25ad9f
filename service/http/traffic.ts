import { bounds } from "@copper-kettle/core";

/** Deliveries by address in this minute, and bodies that are coming in. */
export class Traffic {
  readonly #byAddress = new Map<string, number>();
  #minute = 0;
  #refused = new Map<string, number>();
  bodies = 0;
  bytes = 0;

  /** Whether an address sent more in this minute than it may. */
  isTooMuch(address: string): boolean {
    this.#turn();
    const count = (this.#byAddress.get(address) ?? 0) + 1;
    if (this.#byAddress.size < 100_000) this.#byAddress.set(address, count);
    return count > bounds.deliveries;
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
