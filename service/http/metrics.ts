import type { Express } from "express";
import { stat } from "node:fs/promises";
import type { Gauge, Registry } from "prom-client";
import type { Context } from "./context.js";

interface Metrics {
  registry: Registry;
  runs: Gauge;
  acting: Gauge;
  waits: Gauge;
  waiting: Gauge;
  locks: Gauge;
  pending: Gauge;
  log: Gauge;
}

/** Made when somebody first asks: the service starts sooner. */
async function makeMetrics({ tally, writer }: Context): Promise<Metrics> {
  const registry = await tally.open();
  const { Counter, Gauge, Registry, collectDefaultMetrics } = await import("prom-client");
  registry.setContentType(Registry.OPENMETRICS_CONTENT_TYPE as never);
  collectDefaultMetrics({ register: registry as never });
  const gauge = (name: string, help: string, labels: string[] = []): Gauge =>
    new Gauge({ name: `copper_kettle_${name}`, help, labelNames: labels, registers: [registry] });
  let commits = 0;
  new Counter({
    name: "copper_kettle_commits_total",
    help: "Transactions of the database since the service started.",
    registers: [registry],
    collect() {
      this.inc(writer.commits - commits);
      ({ commits } = writer);
    },
  });
  return {
    registry,
    runs: gauge("runs", "Stored runs, by state; those that are queued wait for their turn.", ["state"]),
    acting: gauge("runs_acting", "Runs that act at the moment."),
    waits: gauge("waits", "What runs wait for, besides a time, by kind.", ["kind"]),
    waiting: gauge("rate_limit_waiting", "Calls that wait for a rate limit.", ["target"]),
    locks: gauge("locks", "Keys that runs have locked."),
    pending: gauge("notifications_waiting", "Notifications that are not delivered yet."),
    log: gauge("database_log_bytes", "Length of the write-ahead log of the database."),
  };
}

/** `/metrics` in OpenMetrics text, for who has an access token. */
export function serveMetrics(app: Express, context: Context): void {
  let made: Promise<Metrics> | undefined;
  // What has happened until then is counted, too.
  setImmediate(() => void context.tally.open().catch(() => undefined)); // whoever asks is told why it fails

  app.get("/metrics", context.auth.require, async (_request, response) => {
    const metrics = await (made ??= makeMetrics(context));
    const { runs } = context.journals;
    const [states, waits] = await Promise.all([runs.counts(), runs.waiting()]);
    metrics.runs.reset();
    for (const { state, count } of states) metrics.runs.set({ state }, count);
    metrics.acting.set(context.runner.acting);
    metrics.waits.reset();
    for (const { kind, count } of waits) metrics.waits.set({ kind }, count);
    metrics.waiting.reset();
    for (const limit of context.rateLimiter.view())
      metrics.waiting.set({ target: limit.api ?? limit.target }, limit.waiting);
    metrics.locks.set(context.locks.all().length);
    metrics.pending.set(context.notifier.view().waiting);
    const { size } = await stat(`${context.writer.store.file}-wal`).catch(() => ({ size: 0 }));
    metrics.log.set(size);
    const { registry } = metrics;
    response.set("Content-Type", registry.contentType).send(await registry.metrics());
  });
}
