import { runsRoutes, type CatalogueView, type Run } from "@copper-kettle/contract";
import { parseJson, printForPeople, printJson, type Entry, type JsonObject } from "@copper-kettle/core";
import {
  computed,
  ref,
  shallowReactive,
  shallowRef,
  watch,
  type ComputedRef,
  type Ref,
  type ShallowRef,
} from "vue";
import { api, sentence } from "../api.js";
import { onRunChange } from "../logic/live.js";
import { Waterfall, type Row } from "../logic/waterfall.js";
import { ask } from "./asking.js";
import { withConstants } from "./merged-scope.js";

/** The values of the run that the editor shows, and what became of each step in it. */
export interface RunValues {
  /** The runs that can be chosen, the newest first. */
  runs: Ref<Run[]>;
  chosen: Ref<string | null>;
  scope: Ref<JsonObject>;
  rows: ComputedRef<ReadonlyMap<string, Row>>;
  /** What became of a step: of one in a loop, how many items went which way. */
  stateOf: (name: string) => StepState | undefined;
  /** The row of a step that is looked at: of one in a loop, that of the chosen item. */
  rowOf: (name: string) => Row | undefined;
  /** The items of loops that are looked at, by the name of the loop; of one that is not named the first. */
  items: ReadonlyMap<string, number>;
  setItem: (loop: string, index: number) => void;
  load: () => Promise<void>;
  fault: Ref<string>;
}

export interface StepState {
  state: string;
  words: string;
}

/** Beyond so many entries of a run the rest is not read: its page shows them all. */
const mostEntries = 20_000;

export function useRunValues(workflow: string, catalogue: ShallowRef<CatalogueView>): RunValues {
  const runs = shallowRef<Run[]>([]);
  const chosen = ref<string | null>(null);
  const scope = shallowRef<JsonObject>({});
  const waterfall = shallowRef<Waterfall>();
  const version = ref(0);
  const items = shallowReactive(new Map<string, number>());
  const fault = ref("");

  async function load(): Promise<void> {
    try {
      const found = await api.call(runsRoutes.listRuns, { query: { workflow, limit: 20 } });
      runs.value = found.runs.filter(({ state }) => state !== "queued" && state !== "skipped");
      chosen.value ??= runs.value[0]?.id ?? null;
      const id = chosen.value;
      // One that was chosen by its address may be an older one.
      if (id !== null && !runs.value.some((one) => one.id === id))
        runs.value = [...runs.value, await api.call(runsRoutes.run, { params: { id } })];
    } catch (error) {
      fault.value = sentence(error);
    }
  }
  const constants = (): JsonObject => catalogue.value.constants as JsonObject;
  // Before there is a run, the constants are all that is known.
  watch(
    catalogue,
    async () => {
      if (chosen.value !== null) return;
      await ask("values", { json: "{}", constants: printJson(constants()) });
      if (chosen.value === null) scope.value = withConstants(constants(), {});
    },
    { immediate: true },
  );
  let reading = 0;
  /** The run that was read last. */
  let readOf = "";
  async function read(id: string): Promise<void> {
    const mine = ++reading;
    const params = { id };
    try {
      const run = await api.call(runsRoutes.run, { params });
      const made = new Waterfall(run.steps);
      let after = -1;
      for (let more = true; more && after < mostEntries;) {
        const page = await api.call(runsRoutes.journal, { params, query: { after, limit: 1_000 } });
        made.take(page.entries.map(({ entry }) => entry as unknown as Entry));
        more = page.more;
        after = page.entries.at(-1)?.seq ?? after;
      }
      await readScope(id);
      if (mine !== reading) return;
      waterfall.value = made;
      readOf = id;
      version.value++;
    } catch (error) {
      if (mine === reading) fault.value = sentence(error);
    }
  }
  let looking = 0;
  /** Of several that are under way only the last counts: it knows the items that are chosen now. */
  async function readScope(id: string): Promise<void> {
    const mine = ++looking;
    const isWanted = (): boolean => mine === looking && id === chosen.value;
    const at = [...items].map(([loop, index]) => `${loop}[${index}]`).join("/");
    const json = await api.text(runsRoutes.runScope, { params: { id }, query: { at } });
    if (!isWanted()) return;
    // First beside the page: fields work their expressions out as soon as they see new values.
    await ask("values", { json, constants: printJson(constants()) });
    if (isWanted()) scope.value = withConstants(constants(), parseJson(json) as JsonObject);
  }
  function setItem(loop: string, index: number): void {
    items.set(loop, index);
    if (chosen.value === null) return;
    readScope(chosen.value).catch((error: unknown) => {
      fault.value = sentence(error);
    });
  }
  watch(chosen, (id) => void (id && read(id)));
  onRunChange(() => {
    void load();
    // The list may know already that it has ended, while its end was not read.
    if (chosen.value && !(chosen.value === readOf && waterfall.value?.over)) void read(chosen.value);
  });
  void load();

  const rows = computed<ReadonlyMap<string, Row>>(() =>
    version.value > 0 ? (waterfall.value?.rows ?? new Map()) : new Map(),
  );
  /** The rows of each step by its name: of one in a loop, one for every item that was read. */
  const byName = computed(() => {
    const found = new Map<string, Row[]>();
    for (const row of rows.value.values()) found.set(row.name, [...(found.get(row.name) ?? []), row]);
    return found;
  });

  return {
    runs,
    chosen,
    scope,
    rows,
    items,
    setItem,
    fault,
    load,
    rowOf: (name) => {
      const all = byName.value.get(name) ?? [];
      return (
        all.find(({ path }) =>
          [...path.matchAll(/(\w+)\[(\d+)\]/g)].every(
            ([, loop, index]) => (items.get(loop as string) ?? 0) === Number(index),
          ),
        ) ?? all[0]
      );
    },
    stateOf: (name) => {
      const all = (byName.value.get(name) ?? []).filter(({ begun, ended }) => begun !== undefined || ended);
      if (all.length === 0) return undefined;
      const count = (state: string): number => all.filter((row) => row.state === state).length;
      if (all.length > 1) {
        const bad = count("failed");
        return {
          state: bad > 0 ? "failed" : "succeeded",
          words: bad > 0 ? `${all.length - bad} good, ${bad} failed` : `${all.length} times`,
        };
      }
      const [row] = all as [Row];
      return { state: row.state, words: wordsOf(row) };
    },
  };
}

function wordsOf(row: Row): string {
  const last = row.attempts.at(-1);
  const status = last?.response?.status;
  const took = row.begun !== undefined && row.ended ? printForPeople(row.ended.at - row.begun.at) : "";
  const attempts = row.attempts.length > 1 ? `${row.attempts.length} attempts` : "";
  return [status === undefined ? row.state : String(status), attempts, took].filter(Boolean).join(" · ");
}
