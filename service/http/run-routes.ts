import { routes } from "@copper-kettle/contract";
import { scopeOf, type Entry } from "@copper-kettle/core";
import type { Express } from "express";
import { Op, type WhereOptions } from "sequelize";
import type { OpenEntry } from "../store/journal.js";
import { RunRow } from "../store/models.js";
import type { Context } from "./context.js";
import { openStream } from "./events.js";
import { notFound } from "./problems.js";
import { answered, serve } from "./serve-route.js";
import { runDetailView, runView } from "./views.js";

/** So many pages of a thousand entries of a run are read for its values. */
const mostPages = 50;

export function serveRuns(app: Express, context: Context): void {
  const { journals, runner, starts, workflows } = context;
  const find = async (id: string): Promise<RunRow> => {
    const row = await RunRow.findByPk(id);
    if (!row) throw notFound("run", id);
    return row;
  };
  const view = async (id: string) => runView(await find(id), runner.isActive(id));

  serve(app, routes.listRuns, async ({ query }) => {
    const where: WhereOptions<RunRow>[] = [];
    if (query.workflow) where.push({ workflow: query.workflow });
    if (query.state) where.push({ state: { [Op.in]: query.state.split(",") } });
    if (query.before) where.push({ id: { [Op.lt]: query.before } });
    if (query.text) {
      const like = { [Op.like]: `%${query.text.replace(/[%_\\]/g, "")}%` };
      where.push({
        [Op.or]: [{ id: like }, { workflow: like }, { error: like }, { message: like }],
      } as WhereOptions<RunRow>);
    }
    const rows = await RunRow.findAll({
      where: { [Op.and]: where },
      order: [["id", "DESC"]],
      limit: query.limit + 1,
    });
    return {
      runs: rows.slice(0, query.limit).map((row) => runView(row, runner.isActive(row.id))),
      more: rows.length > query.limit,
    };
  });

  serve(app, routes.run, async ({ params }) => {
    const row = await find(params.id);
    const { entries } = await journals.open(row.id, -1, 1);
    const last = await journals.last(row.id);
    return {
      ...runDetailView(
        runView(row, runner.isActive(row.id)),
        await workflows.parsed(row.text),
        entries,
        await journals.shownResponse(row.id),
      ),
      last,
    };
  });

  serve(app, routes.journal, async ({ params, query }) => {
    await find(params.id);
    const { entries, more } = await journals.open(params.id, query.after, query.limit);
    return { entries: entries as never, more };
  });

  serve(app, routes.runScope, async ({ params }) => {
    await find(params.id);
    const entries: Entry[] = [];
    let after = -1;
    for (let pages = 0; pages < mostPages; pages++) {
      const page = await journals.open(params.id, after, 1_000);
      entries.push(...page.entries.map(({ entry }) => entry as unknown as Entry));
      after = page.entries.at(-1)?.seq ?? after;
      if (!page.more) break;
    }
    return scopeOf(entries, { id: params.id });
  });

  serve(app, routes.runEvents, async ({ params, query, request, response }) => {
    await find(params.id);
    const session = await openStream(request, response);
    let last = Math.max(query.after, Number(session.lastId) || query.after);
    let caughtUp = false;
    const held: OpenEntry[] = [];
    const push = (entries: OpenEntry[]): void => {
      for (const entry of entries) {
        if (entry.seq <= last) continue;
        last = entry.seq;
        session.push(entry, "entry", String(entry.seq));
      }
    };
    const onEntries = (run: string, entries: OpenEntry[]): void => {
      if (run !== params.id) return;
      if (caughtUp) push(entries);
      else held.push(...entries);
    };
    journals.events.on("entries", onEntries);
    session.on("disconnected", () => journals.events.off("entries", onEntries));
    for (let more = true; more && session.isConnected;) {
      const page = await journals.open(params.id, last, 500);
      push(page.entries);
      more = page.more;
    }
    push(held);
    caughtUp = true;
    return answered;
  });

  serve(app, routes.events, async ({ request, response }) => {
    const session = await openStream(request, response);
    const onState = (id: string, workflow: string, state: string): void =>
      void session.push({ id, workflow, state }, "state");
    journals.events.on("state", onState);
    session.on("disconnected", () => journals.events.off("state", onState));
    return answered;
  });

  serve(app, routes.stopRun, async ({ params, body, by }) => {
    await starts.stop(await find(params.id), { now: body.how === "now", by });
    return view(params.id);
  });

  serve(app, routes.decideRun, async ({ params, body, by }) => {
    const { path, attempt, outcome } = body;
    await starts.decide(await find(params.id), body.decision, { path, attempt, outcome, by });
    return view(params.id);
  });
}
