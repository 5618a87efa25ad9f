import { bounds, dueAt, isOnTime, nextBeat, type JsonObject, type Schedule } from "@copper-kettle/core";
import type { Logger } from "pino";
import type { ConstantStore } from "../store/constants.js";
import type { TriggerRecord, TriggerStore } from "../store/triggers.js";
import type { WorkflowStore } from "../store/workflows.js";
import { nextOf, scheduleName, scheduleOf, triggerOf } from "./arming.js";
import type { Events } from "./events.js";
import type { Polls } from "./polls.js";

/** So many that are due are taken at a time. */
const bite = 500;
/** The clock is looked at this often, in milliseconds: it may be set meanwhile. */
const longestSleep = 10_000;
/** A poll that is to look later than this, and than its own interval, has that of a wrong clock; in milliseconds. */
const latestLook = 2 * 3_600_000;
/** A clock that is back by more than this makes every next time be computed again, in milliseconds. */
const setBack = 3_600_000;
/** So many missed beats are counted. */
const mostCounted = 100_000;

export interface ScheduleParts {
  triggers: TriggerStore;
  workflows: WorkflowStore;
  constants: ConstantStore;
  events: Events;
  polls: Polls;
  /** Whether all runs rest: what comes meanwhile is missed. */
  paused: () => boolean;
  log: Logger;
  now: () => number;
}

/** Starts what is due. One timer for all of them: none is looked at before its time. */
export class Schedules {
  #timer: NodeJS.Timeout | undefined;
  #waking: Promise<void> = Promise.resolve();
  #closed = false;
  #lastNow = 0;
  /** To when the clock was set back last, and by how much, in milliseconds; undefined: it was not. */
  clockSet: { to: number; by: number } | undefined;

  constructor(readonly parts: ScheduleParts) {}

  /** Computes every next time that lies too far ahead, of a clock that was set back, and begins. */
  async start(): Promise<void> {
    await this.recompute().catch((error: unknown) =>
      this.parts.log.warn({ err: error }, "next times were not computed again"),
    );
    await this.wakeSoon();
  }

  async close(): Promise<void> {
    this.#closed = true;
    clearTimeout(this.#timer);
    await this.#waking;
    await this.parts.polls.close();
  }

  /** Looks again, since something was changed. */
  wakeSoon(): Promise<void> {
    this.#waking = this.#waking
      .then(() => this.#wake())
      .catch((error: unknown) => {
        this.parts.log.error({ err: error }, "schedules could not be looked at");
        this.#sleep(10_000);
      });
    return this.#waking;
  }

  /** Next times again: of schedules whose dates, or whose clock, changed; and of polls that would look too late. */
  async recompute(): Promise<void> {
    const { triggers, now, constants } = this.parts;
    for (const row of await triggers.list()) {
      if (row.isOn === 0) continue;
      const { workflow, name } = row;
      if (row.kind === "poll") {
        const every = await this.parts.polls.every(row);
        const isLate = (row.dueAt ?? 0) > now() + Math.max(latestLook, 2 * every);
        if (isLate) await triggers.setOn(workflow, name, true, { beat: now(), dueAt: now() });
      }
      if (row.kind !== "schedule") continue;
      const ready = await this.#ready(row);
      const next = nextOf(ready?.ready, { workflow, name, constants: constants.all(), after: now() });
      // One that is past waits to be carried out; one that lies ahead of the next time is of a clock that was wrong.
      const isPast = row.beat !== null && row.beat <= now();
      if (isPast || row.beat === next.beat) continue;
      await triggers.setOn(workflow, name, true, next);
    }
  }

  #sleep(millis: number): void {
    clearTimeout(this.#timer);
    if (!this.#closed)
      this.#timer = setTimeout(() => void this.wakeSoon(), Math.min(Math.max(millis, 0), longestSleep));
  }

  async #wake(): Promise<void> {
    if (this.#closed) return;
    const { triggers, now, paused } = this.parts;
    const back = this.#lastNow - now();
    if (back > setBack) {
      this.clockSet = { to: now(), by: back };
      this.parts.log.warn({ by: back }, "the clock was set back: next times are computed again");
      await this.recompute();
    }
    this.#lastNow = now();
    if (paused()) return this.#sleep(longestSleep);
    const { polls } = this.parts;
    const due = await triggers.due(now(), bite, polls.active);
    for (const row of due) if (row.kind === "poll") polls.begin(row, () => void this.wakeSoon());
    const times = due.filter(({ kind }) => kind !== "poll");
    const fired = await Promise.all(times.map((row) => this.#tryFire(row)));
    // What could not be carried out is tried again, without turning in a circle.
    if (fired.includes(false)) return this.#sleep(bounds.runFaultPause);
    if (times.length > 0 || due.length === bite) return this.#sleep(due.length === bite ? 0 : 100);
    const next = await triggers.nextDue(polls.active);
    this.#sleep(next === undefined ? longestSleep : next - now());
  }

  async #tryFire(row: TriggerRecord): Promise<boolean> {
    try {
      await this.#fire(row);
      return true;
    } catch (error) {
      const about = { err: error, workflow: row.workflow, trigger: row.name };
      this.parts.log.error(about, "a schedule was not carried out");
      return false;
    }
  }

  async #ready({ workflow, name }: TriggerRecord) {
    const found = await this.parts.workflows.startable(workflow);
    if (!found?.published) return undefined;
    const file = await this.parts.workflows.ready(workflow, found.published.text).catch(() => undefined);
    const ready = file && triggerOf(file, name);
    return ready?.kind === "schedule" ? { ready, version: found.published.version } : undefined;
  }

  async #fire(row: TriggerRecord): Promise<void> {
    const { triggers, events, constants, now, writer } = {
      ...this.parts,
      writer: this.parts.triggers.writer,
    };
    const { workflow, name } = row;
    const beat = row.beat ?? now();
    const found = await this.#ready(row);
    const at = now();
    const constantsNow = constants.all();
    const next = nextOf(found?.ready, { workflow, name, constants: constantsNow, after: Math.max(at, beat) });
    const moved = triggers.moved(row, next);
    if (!found) return writer.commit({ records: [], statements: [moved] });
    const { ready, version } = found;
    const schedule = scheduleOf(ready, constantsNow);
    const { last, count } = beatsUpTo(schedule, beat, at, scheduleName(workflow, name));
    // The constant that lists its dates was changed meanwhile.
    if (last === undefined) return writer.commit({ records: [], statements: [moved] });
    const onTime = isOnTime(schedule, last, at, scheduleName(workflow, name));
    const missed = onTime ? count - 1 : count;
    if (onTime || schedule.missed === "once") {
      const said: JsonObject = missed > 0 && schedule.missed === "once" ? { missed } : {};
      await events.begin({
        workflow,
        trigger: name,
        brought: said,
        at: last,
        key: String(last),
        also: [moved],
      });
      return;
    }
    const brought = { missed };
    const reason = `${missed === 1 ? "One time was" : `${missed} times were`} missed while nothing could start (missed: skip).`;
    await events.note(ready, { workflow, trigger: name, version, at: last, brought }, "skipped", reason, [
      moved,
    ]);
  }
}

/** The last beat from one on that is due at an instant, and how many there are; none where that one is left out now. */
function beatsUpTo(
  schedule: Schedule,
  beat: number,
  at: number,
  name: string,
): { last: number | undefined; count: number } {
  let [last, count] = [nextBeat(schedule, beat - 1, name), 0];
  if (last === undefined || last > at) return { last: undefined, count };
  for (count = 1; count < mostCounted; count++) {
    const next = nextBeat(schedule, last, name);
    if (next === undefined || dueAt(schedule, next, name) > at) break;
    last = next;
  }
  return { last, count };
}
