import type { Express } from "express";
import type { Gauge, Registry } from "prom-client";
import type { Context } from "./context.js";

interface Metrics {
  registry: Registry;
  runs: Gauge;
  calls: Gauge;
  acting: Gauge;
  waiting: Gauge;
  locks: Gauge;
  pending: Gauge;
}

/** Made when somebody first asks: the service starts sooner. */
async function makeMetrics(): Promise<Metrics> {
  const { Gauge, Registry, collectDefaultMetrics } = await import("prom-client");
  const registry = new Registry();
  registry.setContentType(Registry.OPENMETRICS_CONTENT_TYPE as never);
  collectDefaultMetrics({ register: registry as never });
  const gauge = (name: string, help: string, labels: string[] = []): Gauge =>
    new Gauge({ name: `copper_kettle_${name}`, help, labelNames: labels, registers: [registry as never] });
  return {
    registry: registry as never,
    runs: gauge("runs", "Stored runs, by state.", ["state"]),
    calls: gauge("calls", "Calls that stored runs have sent."),
    acting: gauge("runs_acting", "Runs that act at the moment."),
    waiting: gauge("rate_limit_waiting", "Calls that wait for a rate limit.", ["target"]),
    locks: gauge("locks", "Keys that runs have locked."),
    pending: gauge("notifications_waiting", "Notifications that are not delivered yet."),
  };
}

/** `/metrics` in OpenMetrics text, for who has an access token. */
export function serveMetrics(app: Express, context: Context): void {
  let made: Promise<Metrics> | undefined;

  app.get("/metrics", context.auth.require, async (_request, response) => {
    const { registry, runs, calls, acting, waiting, locks, pending } = await (made ??= makeMetrics());
    const rows = await context.journals.runs.counts();
    runs.reset();
    for (const { state, count } of rows) runs.set({ state }, count);
    calls.set(rows.reduce((sum, row) => sum + (row.calls ?? 0), 0));
    acting.set(context.runner.acting);
    waiting.reset();
    for (const limit of context.rateLimiter.view())
      waiting.set({ target: limit.api ?? limit.target }, limit.waiting);
    locks.set(context.locks.all().length);
    pending.set(context.notifier.view().waiting);
    response.set("Content-Type", registry.contentType).send(await registry.metrics());
  });
}
