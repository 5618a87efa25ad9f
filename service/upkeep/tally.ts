import type { RunSummary, Transport } from "@copper-kettle/core";
import type { Counter, Gauge, Histogram, Registry } from "prom-client";
import type { EventState } from "../store/events.js";
import type { JournalStore } from "../store/journal.js";

interface Counted {
  registry: Registry;
  started: Counter;
  events: Counter;
  ended: Counter;
  took: Histogram;
  calls: Counter;
  callTook: Histogram;
  success: Gauge;
}

/** So much may happen before the library that counts is there. */
const mostEarly = 10_000;
/** So many hosts have a label of their own. */
const mostHosts = 200;
const ends = new Set<RunSummary["state"]>(["succeeded", "failed", "stopped"]);

/**
 * What happened since the service started, as counters and histograms that never fall while it runs (OpenMetrics 1.0). The
 * library that holds them is loaded behind the start of the service.
 */
export class Tally {
  #counted: Counted | undefined;
  readonly #hosts = new Set<string>();
  #opening: Promise<Registry> | undefined;
  #early: ((counted: Counted) => void)[] = [];

  constructor(
    readonly journals: JournalStore,
    readonly now: () => number,
  ) {
    journals.events.on("started", (_run, workflow, trigger) =>
      this.#note(({ started }) => started.inc({ workflow, trigger })),
    );
    journals.events.on("state", (_run, workflow, state, times) => {
      if (!times || !ends.has(state)) return;
      const { startedAt, endedAt } = times;
      this.#note(({ ended, took, success }) => {
        ended.inc({ workflow, state });
        if (startedAt !== null && endedAt !== null) took.observe({ workflow }, (endedAt - startedAt) / 1_000);
        if (state === "succeeded" && endedAt !== null) success.set({ workflow }, endedAt / 1_000);
      });
    });
  }

  /** Counts an event that a trigger brought, by what became of it. */
  readonly event = (workflow: string, trigger: string, state: EventState): void =>
    this.#note(({ events }) => events.inc({ workflow, trigger, state }));

  /**
   * A transport whose sends count, by API, host, and status or what kept a response from coming.
   * @param apiOf the API that is at a URL, where one is
   */
  counting(transport: Transport, apiOf: (url: string) => string | undefined): Transport {
    return {
      send: async (request, options) => {
        const began = this.now();
        const note = (status: string): void =>
          this.#note(({ calls, callTook }) => {
            const host = this.#labelOf(new URL(request.url).host);
            const api = apiOf(request.url) ?? "";
            calls.inc({ api, host, status });
            callTook.observe({ api, host }, (this.now() - began) / 1_000);
          });
        try {
          const response = await transport.send(request, options);
          note(String(response.status));
          return response;
        } catch (error) {
          note((error as { kind?: string }).kind ?? (error as { code?: string }).code ?? "failed");
          throw error;
        }
      },
    };
  }

  /** Loads what counts; what has happened meanwhile is counted then. */
  open(): Promise<Registry> {
    this.#opening ??= this.#open().catch((error: unknown) => {
      this.#opening = undefined;
      throw error;
    });
    return this.#opening;
  }

  async #open(): Promise<Registry> {
    const { Counter, Gauge, Histogram, Registry } = await import("prom-client");
    const registry = new Registry();
    const registers = [registry];
    const made = {
      registry: registry as never as Registry,
      started: new Counter({
        name: "copper_kettle_runs_started_total",
        help: "Runs that were started since the service started, by what started them.",
        labelNames: ["workflow", "trigger"],
        registers,
      }),
      events: new Counter({
        name: "copper_kettle_trigger_events_total",
        help: "Events that triggers brought since the service started, by what became of them.",
        labelNames: ["workflow", "trigger", "state"],
        registers,
      }),
      ended: new Counter({
        name: "copper_kettle_runs_ended_total",
        help: "Runs that ended since the service started.",
        labelNames: ["workflow", "state"],
        registers,
      }),
      took: new Histogram({
        name: "copper_kettle_run_duration_seconds",
        help: "How long runs took from their first step to their end, waits included.",
        labelNames: ["workflow"],
        buckets: [0.01, 0.05, 0.1, 0.5, 1, 5, 15, 60, 300, 1_800, 7_200, 86_400],
        registers,
      }),
      calls: new Counter({
        name: "copper_kettle_calls_total",
        help: "Requests sent since the service started, by status or what kept a response from coming.",
        labelNames: ["api", "host", "status"],
        registers,
      }),
      callTook: new Histogram({
        name: "copper_kettle_call_duration_seconds",
        help: "How long requests took until their response was whole.",
        labelNames: ["api", "host"],
        buckets: [0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 5, 15, 60],
        registers,
      }),
      success: new Gauge({
        name: "copper_kettle_workflow_last_success_timestamp_seconds",
        help: "When a run of the workflow last succeeded.",
        labelNames: ["workflow"],
        registers,
      }),
    };
    for (const { workflow, at } of await this.journals.runs.lastSuccesses())
      made.success.set({ workflow }, at / 1_000);
    this.#counted = made;
    for (const note of this.#early.splice(0)) note(made);
    return made.registry;
  }

  /** The label of a host; those beyond so many share one, since each is held for as long as the service runs. */
  #labelOf(host: string): string {
    if (this.#hosts.has(host)) return host;
    if (this.#hosts.size >= mostHosts) return "other";
    this.#hosts.add(host);
    return host;
  }

  #note(note: (counted: Counted) => void): void {
    if (this.#counted) note(this.#counted);
    else if (this.#early.length < mostEarly) this.#early.push(note);
  }
}
