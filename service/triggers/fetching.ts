import type { Principal } from "@copper-kettle/core";
import type { Logger } from "pino";
import { OneAtATime } from "../one-at-a-time.js";
import type { Looked, LookRequest } from "../runs/look.js";
import type { EventStore } from "../store/events.js";
import type { WorkflowStore } from "../store/workflows.js";
import { usualKey } from "./deliveries.js";
import { triggerOf } from "./arming.js";
import type { Events } from "./events.js";

/** So many events are fetched at once. */
const atOnce = 20;

interface FetchParts {
  events: Events;
  store: EventStore;
  workflows: WorkflowStore;
  look: (request: LookRequest) => Promise<Looked>;
  log: Logger;
}

/**
 * Fetches what an event only names: a reading call, made after its sender was answered. The event is durable as `arrived`
 * until then, so that a kill loses nothing.
 */
export class Fetching {
  readonly #stop = new AbortController();
  readonly #turns = new OneAtATime();
  readonly #going = new Set<Promise<void>>();
  #next = 0;

  constructor(readonly parts: FetchParts) {
    parts.events.fetching.on("arrived", (id, order, draftBy) => this.#begin(id, order, draftBy));
  }

  /** Goes on with what had arrived when the service last ended. */
  async start(): Promise<void> {
    for (const { id, workflow, trigger } of await this.parts.store.arrived())
      this.#begin(id, `${workflow} ${trigger}`, undefined);
  }

  async close(): Promise<void> {
    this.#stop.abort();
    await Promise.all(this.#going);
  }

  /** @param order events of the same order are fetched one after another */
  #begin(id: string, order: string | undefined, draftBy: Principal | undefined): void {
    const turn = order ?? String(this.#next++ % atOnce);
    const going = this.#turns
      .run(() => this.#fetch(id, draftBy), turn)
      .catch((error: unknown) =>
        this.parts.log.error({ err: error, event: id }, "what an event names was not fetched"),
      )
      .finally(() => this.#going.delete(going));
    this.#going.add(going);
  }

  async #fetch(id: string, draftBy: Principal | undefined): Promise<void> {
    const { events, store, workflows } = this.parts;
    const event = await store.find(id);
    if (event?.state !== "arrived" || this.#stop.signal.aborted) return;
    const { workflow, trigger, at, version } = event;
    const brought = await store.brought(id);
    const refuse = (reason: string) => events.refuse({ ...event, brought }, reason);
    if (version === 0 && !draftBy)
      return void (await refuse("The service ended before it was fetched for the draft."));
    const found = await workflows.startable(workflow);
    const what = draftBy && found ? { version: 0, text: found.draft, principal: draftBy } : found?.published;
    const file = what && (await workflows.ready(workflow, what.text).catch(() => undefined));
    const ready = file && triggerOf(file, trigger);
    if (!what || !ready) return void (await refuse("Its workflow has no such trigger any more."));
    const key = ready.kind === "webhook" ? usualKey(ready.verify, brought) : undefined;
    const keyedAs = (await workflows.triggers.find(workflow, trigger))?.keyedAs ?? undefined;
    const arriving = {
      id,
      keyedAs,
      workflow,
      trigger,
      at,
      ...(key === undefined ? {} : { key }),
      ...(draftBy ? { draftBy } : {}),
    };
    if (!ready.fetch)
      return void (await events.begin({ ...arriving, brought: { ...brought, fetched: null } }));
    const outcome = await this.parts.look({
      workflow,
      trigger,
      version: what.version,
      principal: what.principal,
      call: ready.fetch,
      locals: {},
      signal: this.#stop.signal,
      brought: { ...brought, kind: ready.kind, name: trigger, id, at: new Date(at).toISOString() },
    });
    // One that was cut off by the end of the service is fetched at its next start.
    if (this.#stop.signal.aborted) return;
    if ("fault" in outcome) await refuse(`What it names could not be fetched: ${outcome.fault}`);
    else if ("outcome" in outcome)
      await events.begin({ ...arriving, brought: { ...brought, fetched: outcome.outcome } });
  }
}
