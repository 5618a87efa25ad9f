import { workflowsRoutes } from "@copper-kettle/contract";
import { computed, onBeforeUnmount, onMounted, ref, type ComputedRef } from "vue";
import { api } from "../api.js";

/** So often it is said that the workflow is open here, in milliseconds. */
const each = 15_000;
/** The name of this window, as long as it is open. */
const here = [...crypto.getRandomValues(new Uint8Array(8))].map((byte) => byte.toString(16)).join("");

/** Who else has a workflow open, in words; empty while nobody does. */
export function usePresence(name: string): ComputedRef<string> {
  const others = ref<{ who: string; isSelf: boolean }[]>([]);
  const say = async (leaves = false): Promise<void> => {
    // That the service is away is said elsewhere.
    const found = await api
      .call(workflowsRoutes.workflowHere, { params: { name }, body: { window: here, leaves } })
      .catch(() => undefined);
    if (found) others.value = found.others;
  };
  const leave = (): void => void say(true);
  let timer: ReturnType<typeof setInterval> | undefined;
  onMounted(() => {
    void say();
    timer = setInterval(() => void say(), each);
    addEventListener("pagehide", leave);
  });
  onBeforeUnmount(() => {
    clearInterval(timer);
    removeEventListener("pagehide", leave);
    leave();
  });
  return computed(() => {
    const names = [...new Set(others.value.filter(({ isSelf }) => !isSelf).map(({ who }) => who))];
    const own = others.value.some(({ isSelf }) => isSelf) ? ["you, in another window"] : [];
    const all = [...names, ...own];
    return all.length === 0 ? "" : `Also here: ${all.join(", ")}`;
  });
}
