import {
  itself,
  evaluateIn,
  itemsOf,
  judgeEvent,
  type JsonObject,
  type Principal,
  type ReadyTrigger,
  type Trigger,
  type Workflow,
} from "@copper-kettle/core";
import { EventEmitter } from "node:events";
import { newRunId } from "../runs/ids.js";
import { OneAtATime } from "../one-at-a-time.js";
import type { StartRequest } from "../runs/start-request.js";
import type { Starts } from "../runs/starts.js";
import type { ConstantStore } from "../store/constants.js";
import { filesIn, inheritFiles } from "../store/files.js";
import { draftTrigger } from "../store/events.js";
import type { EventRecord, EventState, EventStore, NewEvent } from "../store/events.js";
import { HasProblems, type WorkflowStore } from "../store/workflows.js";
import type { StoreRow, Writer } from "../store/writer.js";
import { triggerOf } from "./arming.js";
import { beginItems } from "./items.js";
import { keyOf, refusal, sharesOf } from "./starting.js";

/** An event on its way. */
export interface Arriving {
  /** The id of an event that is there already, and whose fetch is done now. */
  id?: string;
  /** The id that a new event gets: files that it brought belong to it. */
  as?: string;
  workflow: string;
  trigger: string;
  /** What came, beside what every trigger says of itself. */
  brought: JsonObject;
  /** When: of a schedule its time. Milliseconds since 1970. */
  at: number;
  /** What is the same in a repeat, where the trigger has no `once-per`. */
  key?: string;
  /** The name under which its keys count, where that is not the trigger's. */
  keyedAs?: string | undefined;
  /** Rows that become durable with it. */
  also?: StoreRow[];
  /** Sent through again: keys do not count. */
  again?: boolean;
  /** The event that it repeats: files that it brought belong to that one. */
  repeats?: string;
  /** A person made it up. */
  madeUp?: boolean;
  /** It goes to the draft, which acts in the name of this one. */
  draftBy?: Principal;
}

/** What became of an event. */
export type Happened = Pick<EventRecord, "id" | "state" | "run" | "reason"> & {
  /** It was refused since it holds more than one delivery may. */
  tooMany?: true;
};

/** An event of which is known all but what became of it. */
export type Judging = Omit<NewEvent, "state" | "run" | "reason">;

/** Takes in events: each is durable, with the run that it starts, before anybody is answered. */
export class Events {
  /** Tells of an event that names what has to be fetched first, and of those with which it keeps its order. */
  readonly fetching = new EventEmitter<{
    arrived: [id: string, order: string | undefined, draftBy: Principal | undefined];
  }>();
  /** Tells what became of an event, once it is durable; `trouble` of one that was refused or skipped: somebody may have to know. */
  readonly ended = new EventEmitter<{
    event: [workflow: string, trigger: string, state: EventState];
    trouble: [];
  }>();

  /** Deliveries that hold many: one of a trigger after another. */
  readonly #turns = new OneAtATime();

  constructor(
    readonly parts: {
      starts: Starts;
      workflows: WorkflowStore;
      events: EventStore;
      constants: ConstantStore;
      writer: Writer;
      now: () => number;
    },
  ) {}

  /** Judges an event by the version in force and starts its run. Undefined where the workflow has no such trigger. */
  async begin(given: Arriving): Promise<Happened | undefined> {
    const { workflow, at, brought, draftBy, again = false } = given;
    const { workflows, constants, starts } = this.parts;
    const found = await workflows.startable(workflow);
    const what = draftBy && found ? { version: 0, text: found.draft, principal: draftBy } : found?.published;
    if (!what) return undefined;
    const file = await workflows.ready(workflow, what.text).catch((error: unknown) => {
      if (error instanceof HasProblems) return undefined;
      throw error;
    });
    const name = file && nameIn(file, given.trigger);
    const ready = file && name !== undefined ? triggerOf(file, name) : undefined;
    if (!ready || name === undefined || ready.kind === "by-hand") return undefined;
    const { id = given.as ?? newRunId() } = given;
    const { arriving, filesOf } = withFiles(given, id, ready);
    const trigger: Trigger = { ...brought, kind: ready.kind, name, id, at: new Date(at).toISOString() };
    const { madeUp = false } = arriving;
    const event = {
      id,
      workflow,
      trigger: name,
      kind: ready.kind,
      version: what.version,
      at,
      brought,
      madeUp,
      isKnown: arriving.id !== undefined,
    };
    if (ready.fetch && arriving.id === undefined) {
      const reason = leftOutUnfetched(ready, trigger as unknown as JsonObject, id, constants.all());
      if (reason !== undefined) return this.#ended(event, "left-out", reason, arriving);
      const arrived = await this.#ended(event, "arrived", null, arriving);
      const order = ready.oneAtATime ? `${workflow} ${name}` : undefined;
      this.fetching.emit("arrived", id, order, draftBy);
      return arrived;
    }
    const inScope = {
      trigger: trigger as unknown as JsonObject,
      constants: constants.all(),
      id,
      at: this.parts.now(),
    };
    const items = itemsOf(ready, inScope);
    if (items && "fault" in items) {
      const refused = await this.#ended(event, "refused", items.fault, arriving);
      return items.tooMany ? { ...refused, tooMany: true } : refused;
    }
    if (items) {
      const end = (state: EventState, reason: string | null, run: string | null = null) =>
        this.#ended(event, state, reason, arriving, run);
      const around = { event, arriving, ready, inScope, trigger, what: { ...what, ...filesOf }, end };
      const happened = await this.#turns.run(
        () => beginItems(this.parts, items, around),
        `${workflow} ${name}`,
      );
      if (happened.state === "started") this.#tell(event, "started");
      return happened;
    }
    const judged = judgeEvent(ready, inScope);
    if (judged.what !== "start") return this.#ended(event, judged.what, judged.reason, arriving);
    const key = judged.key ?? arriving.key;
    try {
      const { row, known } = await starts.start({
        workflow,
        ...what,
        inputs: judged.inputs,
        by: draftBy ?? itself,
        key:
          key === undefined || again
            ? undefined
            : keyOf(given.keyedAs ?? name, key, { isDraft: draftBy !== undefined }),
        ...(ready.kind === "webhook"
          ? { keyed: { counts: ready.retainKeys, againAfterFailure: !ready.retainFailures } }
          : {}),
        trigger,
        awaited: ready.kind === "webhook" && ready.response === "from-run",
        ...filesOf,
        ...sharesOf(workflow, name, ready, judged.turn),
        also: (run) => [this.#row(event, "started", run, null), ...(arriving.also ?? [])],
      });
      if (!known) {
        this.#tell(event, "started");
        return { id, state: "started", run: row.id, reason: null };
      }
      return await this.#ended(event, "same", "Its key was there before.", arriving, row.id);
    } catch (error) {
      const said = refusal(error);
      if (!said) throw error;
      return this.#ended(event, said.state, said.reason, arriving, said.run);
    }
  }

  /** Notes an event that starts nothing. */
  note(
    { kind }: Pick<ReadyTrigger, "kind">,
    event: {
      id?: string;
      workflow: string;
      trigger: string;
      version: number;
      at: number;
      brought: JsonObject;
    },
    state: EventState,
    reason: string,
    also: StoreRow[] = [],
  ): Promise<Happened> {
    return this.#ended({ id: newRunId(), ...event, kind }, state, reason, { also });
  }

  /** Refuses an event that had arrived. */
  refuse(event: Omit<EventRecord, "brought"> & { brought: JsonObject }, reason: string): Promise<Happened> {
    const { lastRun: _lastRun, ...known } = event;
    return this.#ended({ ...known, madeUp: event.madeUp === 1, isKnown: true }, "refused", reason, {});
  }

  async #ended(
    event: Judging,
    state: EventState,
    reason: string | null,
    { also = [] }: Pick<Arriving, "also">,
    run: string | null = null,
  ): Promise<Happened> {
    await this.parts.writer.commit({
      records: [],
      statements: [this.#row(event, state, run, reason), ...also],
    });
    this.#tell(event, state);
    return { id: event.id, state, run, reason };
  }

  #tell({ workflow, trigger }: Judging, state: EventState): void {
    this.ended.emit("event", workflow, trigger, state);
    if (state === "refused" || state === "skipped") this.ended.emit("trouble");
  }

  #row(event: Judging, state: EventState, run: string | null, reason: string | null): StoreRow {
    return this.parts.events.row({ ...event, state, run, reason });
  }
}

/** Files that a delivery brought belong to its event, to one that repeats it, and to the runs that they start. */
function withFiles(
  arriving: Arriving,
  id: string,
  { kind }: ReadyTrigger,
): { arriving: Arriving; filesOf: Pick<StartRequest, "filesOf"> } {
  const ids = kind === "webhook" ? filesIn(arriving.brought) : [];
  if (ids.length === 0) return { arriving, filesOf: {} };
  const { repeats, also = [] } = arriving;
  const owner = { kind: "event" as const, id: repeats ?? id };
  const shared = repeats === undefined ? [] : [inheritFiles({ kind: "event", id }, owner, ids)];
  return { arriving: { ...arriving, also: [...also, ...shared] }, filesOf: { filesOf: { ...owner, ids } } };
}

/** Why an event is left out whatever would be fetched: what `only-if` says of it is false already. */
function leftOutUnfetched(
  ready: ReadyTrigger,
  trigger: JsonObject,
  id: string,
  constants: JsonObject,
): string | undefined {
  if (!ready.onlyIf) return undefined;
  try {
    const holds = evaluateIn(ready.onlyIf, { trigger, constants, id, at: 0 });
    return holds === false
      ? `"only-if" is false before anything is fetched: ${ready.onlyIf.text}`
      : undefined;
  } catch {
    return undefined; // it has to be known what is fetched
  }
}

/** The trigger that takes an event: what came to a draft before it had a webhook is for its first one. */
function nameIn({ triggers }: Workflow, name: string): string | undefined {
  if (name !== draftTrigger || name in triggers) return name;
  return Object.entries(triggers).find(([, { kind }]) => kind === "webhook")?.[0];
}
