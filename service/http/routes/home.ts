import { routes } from "@copper-kettle/contract";
import type { Express } from "express";
import { Op } from "sequelize";
import { endOf, stateOf } from "../../credentials/view.js";
import { TryRow } from "../../store/api-models.js";
import { select } from "../../store/database.js";
import { RunRow, WorkflowRow } from "../../store/models.js";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { showRun } from "../found.js";
import { troubleView } from "../run-view.js";
import { serve } from "../serve-route.js";
import { driftView } from "./drift.js";

export function serveHome(app: Express, context: Context): void {
  const { journals, runner } = context;
  serve(app, routes.home, async () => {
    const since = Math.floor(Date.now() / hourMillis) * hourMillis - 23 * hourMillis;
    const day = { [Op.gte]: since };
    const newest = { order: [["id", "DESC"]] as [string, string][], limit: 20 };
    const [unsure, failed, running, next, ended] = await Promise.all([
      RunRow.findAll({ where: { state: { [Op.in]: ["unsure", "parked"] }, endedAt: null }, ...newest }),
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
      attention: [...unsure, ...failed].map((row) => showRun(context, row)),
      credentials: await needing(context),
      drift: context.drift.list().slice(0, 10).map(driftView),
      running: running.map((row) => showRun(context, row)),
      next: next.map((row) => showRun(context, row)),
      hours,
      paused: context.settings.get("paused") === true,
      trouble: troubleView(runner),
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
}

const hourMillis = 3_600_000;

/** Credentials that want a person: those that fail, want a sign-in, or end within 30 days. */
async function needing({ credentials, tokens, journals }: Context) {
  const waiting = new Map(
    (
      await select<{ name: string; count: number }>(
        journals.store,
        "SELECT name, count(DISTINCT run) AS count FROM waits WHERE kind = 'credential' GROUP BY name",
      )
    ).map(({ name, count }) => [name, count]),
  );
  const now = Date.now();
  return credentials.all().flatMap((open) => {
    const { state, sentence } = stateOf(open, tokens);
    const said = [sentence, endOf(open, now).warning?.sentence].filter(Boolean);
    const count = waiting.get(open.name) ?? 0;
    return said.length > 0 ? [{ name: open.name, state, sentence: said.join(" "), waiting: count }] : [];
  });
}
