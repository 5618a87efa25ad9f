import { onMounted } from "vue";

/** Loads the code of the page where one probably goes next, once this one has nothing to do. */
export function loadAhead(page: () => Promise<unknown>): void {
  onMounted(() => {
    const load = (): void => void page().catch(() => undefined);
    // Safari has no idle callbacks.
    if ("requestIdleCallback" in window) requestIdleCallback(load, { timeout: 2_000 });
    else setTimeout(load, 500);
  });
}
