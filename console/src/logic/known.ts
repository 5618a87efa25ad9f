import { routes, type CatalogueView } from "@copper-kettle/contract";
import { onScopeDispose, shallowRef, type ShallowRef } from "vue";
import { api } from "../api.js";

/** What the service has, by name: sent once, and kept fresh while somebody is at the page. */
const known = shallowRef<CatalogueView>({ apis: [], credentials: [], workflows: [], constants: {} });
let loadedAt = 0;
/** After so many milliseconds it is asked for again. */
const freshMillis = 3_000;

async function load(): Promise<void> {
  if (Date.now() - loadedAt < freshMillis) return;
  loadedAt = Date.now();
  known.value = await api.call(routes.catalogue).catch(() => known.value);
}

/** The catalogue, read when somebody asks for it. */
export const lazyCatalogue = (): { catalogue: ShallowRef<CatalogueView>; load: () => Promise<void> } => ({
  catalogue: known,
  load,
});

/** The catalogue, read at once and again when somebody comes back to the page. */
export function useCatalogue(): ShallowRef<CatalogueView> {
  const again = (): void => void load();
  again();
  window.addEventListener("focus", again);
  onScopeDispose(() => window.removeEventListener("focus", again));
  return known;
}
