import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { Op } from "sequelize";
import { endOf, standingOf } from "../credentials/view.js";
import { select } from "../store/database.js";
import { TryRow } from "../store/api-models.js";
import { RunRow, WorkflowRow } from "../store/models.js";
import type { Context } from "./context.js";
import { HttpProblem, notFound } from "./problems.js";
import { serve } from "./serve-route.js";
import { driftView, iso, runView } from "./views.js";

const hourMillis = 3_600_000;

/** Credentials that want a person: those that fail, want a sign-in, or end within 30 days. */
async function needing({ credentials, tokens, journals }: Context) {
  const waiting = new Map(
    (
      await select<{ name: string; count: number }>(
        journals.store,
        "SELECT substr(waits_for, 12) AS name, count(*) AS count FROM runs WHERE waits_for LIKE 'credential:%' AND ended_at IS NULL GROUP BY 1",
      )
    ).map(({ name, count }) => [name, count]),
  );
  const now = Date.now();
  return credentials.all().flatMap((open) => {
    const { state, sentence } = standingOf(open, tokens);
    const said = [state === "ready" ? null : sentence, endOf(open, now).warning?.sentence].filter(Boolean);
    const count = waiting.get(open.name) ?? 0;
    return said.length > 0 ? [{ name: open.name, state, sentence: said.join(" "), waiting: count }] : [];
  });
}

/** Status, Home and constants. */
export function serveOthers(app: Express, context: Context): void {
  const { constants, runner, journals } = context;
  const view = (row: RunRow) => runView(row, runner.isActive(row.id));

  const trouble = () =>
    runner.faults.trouble
      ? { at: iso(runner.faults.trouble.at), message: runner.faults.trouble.message }
      : null;

  serve(app, routes.status, async () => {
    const counts = await select<{ state: string; count: number }>(
      journals.store,
      "SELECT state, count(*) AS count FROM runs GROUP BY state",
    );
    return {
      version: context.version,
      startedAt: iso(context.startedAt),
      dataFolder: context.dataFolder,
      workflows: await WorkflowRow.count(),
      runs: Object.fromEntries(counts.map(({ state, count }) => [state, count])),
      paused: context.settings.get("paused") === true,
      trouble: trouble(),
    };
  });

  serve(app, routes.home, async () => {
    const since = Math.floor(Date.now() / hourMillis) * hourMillis - 23 * hourMillis;
    const day = { [Op.gte]: since };
    const newest = { order: [["id", "DESC"]] as [string, string][], limit: 20 };
    const [unsure, failed, running, next, ended] = await Promise.all([
      RunRow.findAll({ where: { state: { [Op.in]: ["unsure", "held"] }, endedAt: null }, ...newest }),
      RunRow.findAll({ where: { state: "failed", createdAt: day }, ...newest }),
      RunRow.findAll({ where: { state: { [Op.in]: ["queued", "running"] }, endedAt: null }, ...newest }),
      RunRow.findAll({
        where: { state: "waiting", endedAt: null },
        order: [["wakeAt", "ASC"]],
        limit: 20,
      }),
      select<{ hour: number; state: string; count: number }>(
        journals.store,
        "SELECT ended_at / :hour AS hour, state, count(*) AS count FROM runs WHERE ended_at >= :since GROUP BY 1, 2",
        { hour: hourMillis, since },
      ),
    ]);
    const hours = Array.from({ length: 24 }, (_, index) => {
      const hour = since / hourMillis + index;
      const count = (fits: (state: string) => boolean) =>
        ended
          .filter((row) => Math.floor(row.hour) === hour && fits(row.state))
          .reduce((sum, row) => sum + row.count, 0);
      return {
        hour: iso(hour * hourMillis),
        succeeded: count((state) => state === "succeeded"),
        failed: count((state) => state === "failed"),
        other: count((state) => state !== "succeeded" && state !== "failed"),
      };
    });
    return {
      attention: [...unsure, ...failed].map(view),
      credentials: await needing(context),
      drift: context.drift.list().slice(0, 10).map(driftView),
      running: running.map(view),
      next: next.map(view),
      hours,
      paused: context.settings.get("paused") === true,
      trouble: trouble(),
      firstSteps: {
        apis: context.apis.apis().length,
        tries: await TryRow.count(),
        credentials: context.credentials.all().length,
        workflows: await WorkflowRow.count(),
        published: await WorkflowRow.count({ where: { published: { [Op.ne]: null } } }),
        runs: await RunRow.count(),
      },
    };
  });

  serve(app, routes.constants, async () => ({ constants: constants.all() }));
  serve(app, routes.putConstant, async ({ params, body }) => {
    if (body.value === undefined)
      throw new HttpProblem(400, "invalid-request", "There is no value", 'The body must have a "value".');
    await constants.put(params.name, body.value);
    return { constants: constants.all() };
  });
  serve(app, routes.removeConstant, async ({ params }) => {
    if (!(await constants.remove(params.name))) throw notFound("constant", params.name);
  });
}
