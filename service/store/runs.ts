import { literal, Op, where as whereValue, type Order, type Transaction, type WhereOptions } from "sequelize";
import { select, selectList, type Store } from "./database.js";
import { RunRow, type RunRecord } from "./models.js";
import type { Woken } from "./waits.js";

/** Which runs a list shows; those that fit all that is given. */
export interface RunFilter {
  workflow?: string | undefined;
  states?: readonly string[] | undefined;
  /** Only runs that were made before this one. */
  before?: string | undefined;
  /** Part of the id, the name of the workflow, the error or the message. */
  text?: string | undefined;
  /** Only runs that have not ended. */
  unended?: boolean;
  /** Only those that one event of a trigger started, between the first and the last of them. */
  event?: { id: string; first: string; last: string } | undefined;
  createdSince?: number | undefined;
  createdBefore?: number | undefined;
  /** Only runs with so many calls or fewer. */
  mostCalls?: number | undefined;
}

/** In which order a list of runs is. */
export type RunOrder = "newest" | "oldest" | "longest" | "most-calls" | "most-problems";

const orders: Record<RunOrder, [ReturnType<typeof literal>, "DESC"][]> = {
  newest: [],
  oldest: [],
  longest: [[literal("coalesce(ended_at, unixepoch() * 1000) - started_at"), "DESC"]],
  "most-calls": [[literal("calls"), "DESC"]],
  "most-problems": [[literal("problems"), "DESC"]],
};

/** The columns of a run under the names of its record. */
const columns = Object.entries({
  id: "id",
  workflow: "workflow",
  version: "version",
  text: "text",
  origin: "origin",
  state: "state",
  trigger: "trigger",
  createdAt: "created_at",
  startedAt: "started_at",
  endedAt: "ended_at",
  wakeAt: "wake_at",
  waits: "waits",
  parent: "parent",
  principal: "principal",
  startedBy: "started_by",
  options: "options",
  shares: "shares",
  repeats: "repeats",
  responseSeq: "response_seq",
  calls: "calls",
  problems: "problems",
  error: "error",
  message: "message",
  unsure: "unsure",
} satisfies Record<keyof RunRecord, string>)
  .map(([name, column]) => `${column} AS ${name}`)
  .join(", ");

/**
 * The runs that something still needs, as `used (id)`: those that have not ended, those that one of them called and waits
 * for, and those whose outcomes one of all these reuses.
 */
export const withUsed = `WITH RECURSIVE used (id) AS (
  SELECT id FROM runs WHERE ended_at IS NULL
  UNION SELECT called.id FROM runs AS called JOIN runs AS caller ON caller.id = called.parent
    WHERE caller.ended_at IS NULL
  UNION SELECT runs.repeats FROM runs JOIN used ON used.id = runs.id WHERE runs.repeats IS NOT NULL)`;

/** The rows of runs: a consequence of their journals, for lists and for what goes on. */
export class RunStore {
  constructor(readonly store: Store) {}

  async find(id: string): Promise<RunRecord | undefined> {
    const [row] = await select<RunRecord>(this.store, `SELECT ${columns} FROM runs WHERE id = :id`, { id });
    return row;
  }

  /** The workflows of some runs, by their ids. */
  async workflowsOf(ids: readonly string[]): Promise<Map<string, string>> {
    const rows = await select<{ id: string; workflow: string }>(
      this.store,
      "SELECT id, workflow FROM runs WHERE id IN (SELECT value FROM json_each(:ids))",
      { ids: JSON.stringify(ids) },
    );
    return new Map(rows.map(({ id, workflow }) => [id, workflow]));
  }

  /**
   * The newest first, if no other order is asked for.
   * @throws ScanTooLong where a text is searched for, or another order asked for, in more runs than there is time for
   */
  list(
    filter: RunFilter,
    limit: number,
    { order = "newest", skip = 0, gone }: { order?: RunOrder; skip?: number; gone?: AbortSignal } = {},
  ): Promise<RunRecord[]> {
    const by = [...orders[order], ["id", order === "oldest" ? "ASC" : "DESC"]] as Order;
    return this.#read(filter, order, gone, (within) =>
      RunRow.findAll({ where: whereOf(filter), order: by, limit, offset: skip, raw: true, ...within }),
    );
  }

  /**
   * How many fit, counted up to a number.
   * @throws ScanTooLong where there are more runs to look at than there is time for
   */
  async count(filter: RunFilter, most: number, gone?: AbortSignal): Promise<number> {
    const found = await this.#read(filter, "newest", gone, (within) =>
      RunRow.findAll({
        attributes: [[literal("1"), "one"]],
        where: whereOf(filter),
        limit: most,
        raw: true,
        ...within,
      }),
    );
    return found.length;
  }

  /** An index has the order of the newest and the oldest, and every filter but the text. */
  #read<T>(
    { text }: RunFilter,
    order: RunOrder,
    gone: AbortSignal | undefined,
    read: (within: { transaction?: Transaction }) => Promise<T>,
  ): Promise<T> {
    if (text === undefined && orders[order].length === 0) return read({});
    return this.store.scans.run((transaction) => read({ transaction }), gone);
  }

  /** Those that sleep until a time, the next one first. */
  sleeping(limit: number): Promise<RunRecord[]> {
    return RunRow.findAll({
      where: { state: "waiting", endedAt: null },
      order: [["wakeAt", "ASC"]],
      limit,
      raw: true,
    });
  }

  /** All that have not ended, the eldest first. */
  unended(): Promise<(Woken & { state: string })[]> {
    return selectList(
      this.store,
      "SELECT id, workflow, state, text, shares FROM runs WHERE ended_at IS NULL ORDER BY id",
    );
  }

  async newestId(): Promise<string | undefined> {
    const [row] = await select<{ id: string | null }>(this.store, "SELECT max(id) AS id FROM runs");
    return row?.id ?? undefined;
  }

  /** Those whose time to go on has come. */
  due(now: number, limit: number): Promise<Woken[]> {
    return select(
      this.store,
      "SELECT id, workflow, text, shares FROM runs WHERE state = 'waiting' AND ended_at IS NULL AND wake_at <= :now ORDER BY wake_at LIMIT :limit",
      { now, limit },
    );
  }

  /** When the next one goes on after a time, in milliseconds. */
  async nextDue(after: number): Promise<number | undefined> {
    const [row] = await select<{ next: number | null }>(
      this.store,
      "SELECT min(wake_at) AS next FROM runs WHERE state = 'waiting' AND ended_at IS NULL AND wake_at > :after",
      { after },
    );
    return row?.next ?? undefined;
  }

  /** Runs that go on though who called them and waits for them does not: of one run, or of all runs that have ended. */
  called(run?: string): Promise<{ id: string; parent: string }[]> {
    return selectList(
      this.store,
      `SELECT id, parent FROM runs WHERE ended_at IS NULL AND parent ${run === undefined ? "IN (SELECT id FROM runs WHERE ended_at IS NOT NULL)" : "= :run"}`,
      run === undefined ? {} : { run },
    );
  }

  /** How many there are in each state, and how many calls they sent. */
  counts(): Promise<{ state: string; count: number; calls: number }[]> {
    return selectList(
      this.store,
      "SELECT state, count(*) AS count, sum(calls) AS calls FROM runs GROUP BY state",
    );
  }

  /** When a run of each workflow last succeeded, in milliseconds since 1970. */
  lastSuccesses(): Promise<{ workflow: string; at: number }[]> {
    return selectList(
      this.store,
      "SELECT workflow, max(ended_at) AS at FROM runs WHERE state = 'succeeded' GROUP BY workflow",
    );
  }

  /** How many wait, by what they wait for. */
  waiting(): Promise<{ kind: string; count: number }[]> {
    return selectList(this.store, "SELECT kind, count(*) AS count FROM waits GROUP BY kind");
  }

  /** How many ended in each span of time since a time; `span` numbers them from 1970 on. */
  endedBySpan(millis: number, since: number): Promise<{ span: number; state: string; count: number }[]> {
    return selectList(
      this.store,
      "SELECT ended_at / :millis AS span, state, count(*) AS count FROM runs WHERE ended_at >= :since GROUP BY 1, 2",
      { millis, since },
    );
  }

  /** The runs that wait for something, the first ones of them. */
  async waitingFor(kind: string, name: string, limit = 100): Promise<string[]> {
    const rows = await selectList<{ run: string }>(
      this.store,
      "SELECT DISTINCT run FROM waits WHERE kind = :kind AND name = :name LIMIT :limit",
      { kind, name, limit },
    );
    return rows.map(({ run }) => run);
  }

  /** How many runs wait for each thing of a kind. */
  async waitingCounts(kind: string): Promise<Map<string, number>> {
    const rows = await selectList<{ name: string; count: number }>(
      this.store,
      "SELECT name, count(DISTINCT run) AS count FROM waits WHERE kind = :kind GROUP BY name",
      { kind },
    );
    return new Map(rows.map(({ name, count }) => [name, count]));
  }

  /** The locks that unended runs hold. */
  locks(): Promise<{ name: string; run: string; path: string }[]> {
    return select(
      this.store,
      "SELECT name, run, path FROM locks WHERE run IN (SELECT id FROM runs WHERE ended_at IS NULL)",
    );
  }
}

function whereOf(filter: RunFilter): WhereOptions<RunRow> {
  const { workflow, states, before, text, unended, createdSince, createdBefore, mostCalls, event } = filter;
  const where: WhereOptions<RunRow>[] = [];
  // With the second condition SQLite goes by the index of the workflow's runs.
  if (workflow !== undefined) where.push({ workflow, id: { [Op.gt]: "" } });
  if (states) where.push({ state: { [Op.in]: states } });
  if (before !== undefined) where.push({ id: { [Op.lt]: before } });
  if (unended) where.push({ endedAt: null });
  if (createdSince !== undefined) where.push({ createdAt: { [Op.gte]: createdSince } });
  if (createdBefore !== undefined) where.push({ createdAt: { [Op.lt]: createdBefore } });
  if (mostCalls !== undefined) where.push({ calls: { [Op.lte]: mostCalls } });
  if (event) {
    where.push({ id: { [Op.between]: [event.first, event.last] } });
    where.push(whereValue(literal("\"trigger\" ->> 'id'"), event.id) as never);
  }
  if (text !== undefined) {
    const like = { [Op.like]: `%${text.replace(/[%_\\]/g, "")}%` };
    where.push({
      [Op.or]: [{ id: like }, { workflow: like }, { error: like }, { message: like }],
    } as WhereOptions<RunRow>);
  }
  return { [Op.and]: where };
}
