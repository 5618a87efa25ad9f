import { runsRoutes, type Run } from "@copper-kettle/contract";
import type { Json } from "@copper-kettle/core";
import { computed, ref, watch, type ComputedRef, type Ref } from "vue";
import { api, sentence } from "../api.js";
import type { RunValues } from "./values.js";

/** The chosen run, while it is paused at a breakpoint. */
export interface Pause {
  at: ComputedRef<{ run: Run; path: string; step: string; isInLoop: boolean; reason: string } | undefined>;
  busy: Ref<boolean>;
  fault: Ref<string>;
  /** Continues with changed values, by their paths; `next` is where it pauses again. */
  goOn: (set: Record<string, Json>, next?: "step" | "item") => Promise<void>;
  stop: () => Promise<void>;
}

export function usePause(values: RunValues): Pause {
  const at = computed(() => {
    const run = values.runs.value.find(({ id }) => id === values.chosen.value);
    const wait = run?.waits.find(({ kind }) => kind === "breakpoint");
    if (!run || !wait) return undefined;
    const path = wait.path;
    return {
      run,
      path,
      step: path.split("/").at(-1) ?? path,
      isInLoop: /\[\d+\]\//.test(path),
      reason: wait.reason,
    };
  });
  // The values are those of the items at which it paused.
  watch(
    () => at.value?.path,
    (path) => {
      for (const [, loop, index] of path?.matchAll(/(\w+)\[(\d+)\]/g) ?? [])
        values.setItem(loop as string, Number(index));
    },
    { immediate: true },
  );
  const busy = ref(false);
  const fault = ref("");
  async function act(call: (id: string) => Promise<unknown>): Promise<void> {
    const id = at.value?.run.id;
    if (id === undefined) return;
    busy.value = true;
    fault.value = "";
    try {
      await call(id);
      await values.load();
    } catch (error) {
      fault.value = sentence(error);
    } finally {
      busy.value = false;
    }
  }
  return {
    at,
    busy,
    fault,
    goOn: (set, next) =>
      act((id) =>
        api.call(runsRoutes.continueRun, { params: { id }, body: { set, ...(next ? { next } : {}) } }),
      ),
    stop: () => act((id) => api.call(runsRoutes.stopRun, { params: { id }, body: {} })),
  };
}
