import {
  itself,
  judgeEvent,
  type Brought,
  type DeliveredItem,
  type JsonObject,
  type ReadyTrigger,
  type Trigger,
} from "@copper-kettle/core";
import type { PreparedStart, Starts } from "../runs/starts.js";
import type { StartRequest } from "../runs/start-request.js";
import type { EventState, EventStore } from "../store/events.js";
import { filesIn } from "../store/files.js";
import type { Arriving, Happened, Judging } from "./events.js";
import { keyOf, refusal, sharesOf } from "./starting.js";

/** A delivery that holds many, on its way. */
interface Around {
  event: Judging;
  arriving: Arriving;
  ready: ReadyTrigger;
  inScope: Brought;
  trigger: Trigger;
  what: Pick<StartRequest, "version" | "text" | "principal" | "filesOf">;
  /** Notes what became of it where it starts nothing. */
  end: (state: EventState, reason: string | null, run?: string | null) => Promise<Happened>;
}

type Keyed = DeliveredItem & { key: string | undefined; place: number };

/** After so many starts are made ready, others have their turn. */
const bite = 50;

/**
 * Starts runs for the items of a delivery that were not there before: all of them in one commit, or none. No other
 * delivery of its trigger may come in between.
 */
export async function beginItems(
  { starts, events }: { starts: Starts; events: EventStore },
  items: readonly DeliveredItem[],
  around: Around,
): Promise<Happened> {
  const { event, arriving, what, ready, end } = around;
  const { workflow, again = false, draftBy, key } = arriving;
  const keyed = (id: string) =>
    keyOf(arriving.keyedAs ?? event.trigger, id, { isDraft: draftBy !== undefined });
  const all: Keyed[] = items.map((one, index) => ({
    ...one,
    key: one.id === undefined || again ? undefined : keyed(one.id),
    place: index + 1,
  }));
  const whole = key === undefined || again ? [] : [keyed(key)];
  const asked = [...whole, ...all.flatMap((one) => one.key ?? [])];
  const known = await starts.journals.startKeys.runsOf(workflow, asked);
  const before = whole.map((one) => known.get(one)).find((run) => run !== undefined);
  if (before !== undefined) return end("same", "Its key was there before.", before);
  const fresh = all.filter((one) => one.key === undefined || !known.has(one.key));
  const same = all.length - fresh.length;
  const judged = judgeItems(fresh, around);
  if ("refused" in judged) return end("refused", judged.refused);
  const said = countsOf(same, judged.leftOut);
  if (judged.starts.length === 0) {
    if (items.length === 0) return end("left-out", "It holds no items.");
    return judged.leftOut > 0 ? end("left-out", said) : end("same", said, known.values().next().value);
  }
  const prepared: PreparedStart[] = [];
  const about = { ...what, workflow, by: draftBy ?? itself, key: undefined };
  const counts = ready.kind === "webhook" ? ready.retainKeys : undefined;
  try {
    for (const { keys, ...start } of judged.starts) {
      const taken = prepared.length === 0 ? [...whole, ...keys] : keys;
      prepared.push(await starts.prepare({ ...about, ...start, keys: taken, keyed: { counts } }));
      if (prepared.length % bite === 0) await new Promise((resolve) => setImmediate(resolve));
    }
    const run = prepared[0]?.row.id ?? null;
    const started = { state: "started" as const, run, reason: said };
    const row = { ...event, ...started, runs: prepared.length, lastRun: prepared.at(-1)?.row.id };
    await starts.begin(prepared, [events.row(row), ...(arriving.also ?? [])]);
    return { id: event.id, ...started };
  } catch (error) {
    const found = refusal(error);
    if (!found) throw error;
    const at = found.state === "refused" ? (judged.starts[prepared.length]?.place ?? "") : "";
    return end(found.state, `${at}${found.reason}`);
  }
}

type ItemStart = Pick<StartRequest, "inputs" | "trigger" | "shares" | "skipIfFull" | "filesOf"> & {
  keys: string[];
  place: string;
};

/** What is to be started for some items: a run for each, or one for all of them. */
function judgeItems(
  items: readonly Keyed[],
  { event, arriving, ready, inScope, trigger, what: { filesOf } }: Around,
): { starts: ItemStart[]; leftOut: number } | { refused: string } {
  // A run has its own items, not the whole delivery.
  const { body: _body, ...lean } = trigger;
  const isBatch = ready.kind === "webhook" && ready.each === "batch";
  const groups = isBatch ? (items.length === 0 ? [] : [items]) : items.map((one) => [one]);
  const starts: ItemStart[] = [];
  let leftOut = 0;
  for (const group of groups) {
    const [first] = group;
    const own: JsonObject = isBatch
      ? { items: group.map(({ item }) => ({ item })) }
      : { item: first?.item ?? null };
    const judged = judgeEvent(ready, { ...inScope, trigger: { ...inScope.trigger, ...own } });
    const place = isBatch ? "" : `item ${first?.place}: `;
    if (judged.what === "refused") return { refused: `${place}${judged.reason}` };
    if (judged.what === "left-out") leftOut += group.length;
    else
      starts.push({
        inputs: judged.inputs,
        trigger: { ...lean, ...own },
        ...sharesOf(arriving.workflow, event.trigger, ready, judged.turn),
        // A run has the files of its own items, not those of all.
        ...(filesOf ? { filesOf: { ...filesOf, ids: filesIn(own) } } : {}),
        keys: group.flatMap(({ key }) => key ?? []),
        place,
      });
  }
  return { starts, leftOut };
}

/** What became of the items that started nothing. */
function countsOf(same: number, leftOut: number): string | null {
  const parts = [
    ...(same > 0 ? [`${same === 1 ? "1 item was" : `${same} items were`} there before`] : []),
    ...(leftOut > 0
      ? [`${leftOut === 1 ? "1 item was" : `${leftOut} items were`} left out by "only-if"`]
      : []),
  ];
  return parts.length === 0 ? null : `${parts.join("; ")}.`;
}
