import { routes, type Attention } from "@copper-kettle/contract";
import { bounds } from "@copper-kettle/core";
import type { Express } from "express";
import { endOf, stateOf } from "../../credentials/view.js";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import type { Failures } from "../../store/attention.js";
import { findRun, showRun } from "../found.js";
import { notFound } from "../problems.js";
import { troubleView } from "../run-view.js";
import { serve } from "../serve-route.js";
import { driftView } from "./drift.js";

export function serveHome(app: Express, context: Context): void {
  const { journals, runner, attention } = context;
  serve(app, routes.putAside, async ({ params, body, by }) => {
    const row = await findRun(context, body.run);
    if (row.workflow !== params.name) throw notFound("run", body.run);
    await attention.putAside(params.name, row.id, by.id, Date.now());
  });

  serve(app, routes.home, async () => {
    const since = Math.floor(Date.now() / hourMillis) * hourMillis - 23 * hourMillis;
    const { runs } = journals;
    const open = { states: ["unsure", "parked"], unended: true };
    const [unsure, unsureCount, failures, starts, running, next, ended] = await Promise.all([
      runs.list(open, mostShown),
      runs.count(open, bounds.countedRuns),
      attention.failures(since, mostGroups),
      attention.startsNext(mostStarts),
      runs.list({ states: ["queued", "running"], unended: true }, mostShown),
      runs.sleeping(mostShown),
      runs.endedBySpan(hourMillis, since),
    ]);
    const hours = Array.from({ length: 24 }, (_, index) => {
      const hour = since / hourMillis + index;
      const count = (fits: (state: string) => boolean) =>
        ended
          .filter((row) => Math.floor(row.span) === hour && fits(row.state))
          .reduce((sum, row) => sum + row.count, 0);
      return {
        hour: iso(hour * hourMillis),
        succeeded: count((state) => state === "succeeded"),
        failed: count((state) => state === "failed"),
        other: count((state) => state !== "succeeded" && state !== "failed"),
      };
    });
    return {
      attention: [
        ...unsure.map((row) => ({
          run: showRun(context, row),
          count: 1,
          since: iso(row.createdAt),
          lastGood: null,
        })),
        ...(await failed(failures.slice(0, mostShown))),
      ],
      more:
        unsureCount - unsure.length + failures.slice(mostShown).reduce((sum, { count }) => sum + count, 0),
      starts: starts.map(({ at, ...start }) => ({ ...start, at: iso(at) })),
      credentials: await needing(context),
      drift: context.drift.list().slice(0, 10).map(driftView),
      running: running.map((row) => showRun(context, row)),
      next: next.map((row) => showRun(context, row)),
      hours,
      paused: context.settings.get("paused") === true,
      trouble: troubleView(runner),
      undelivered: context.notifier.undelivered,
      firstSteps: {
        apis: context.apis.apis().length,
        tries: await context.tries.count(),
        credentials: context.credentials.all().length,
        ...(await context.workflows.counts()),
        runs: await runs.count({}, bounds.countedRuns),
      },
    };
  });

  /** The newest run of each, with how many there are. */
  function failed(failures: readonly Failures[]): Promise<Attention[]> {
    return Promise.all(
      failures.map(async ({ newest, count, since, lastGoodAt }) => ({
        run: showRun(context, await findRun(context, newest)),
        count,
        since: iso(since),
        lastGood: lastGoodAt === null ? null : iso(lastGoodAt),
      })),
    );
  }
}

const hourMillis = 3_600_000;
/** So many runs of each kind are shown. */
const mostShown = 20;
/** So many causes of failures are looked at, and so many next starts are shown. */
const mostGroups = 200;
const mostStarts = 5;

/** Credentials that want a person: those that fail, want a sign-in, or end within 30 days. */
async function needing({ credentials, tokens, journals }: Context) {
  const waiting = await journals.runs.waitingCounts("credential");
  const now = Date.now();
  return credentials.all().flatMap((open) => {
    const { state, sentence } = stateOf(open, tokens);
    const said = [sentence, endOf(open, now).warning?.sentence].filter(Boolean);
    const count = waiting.get(open.name) ?? 0;
    return said.length > 0 ? [{ name: open.name, state, sentence: said.join(" "), waiting: count }] : [];
  });
}
