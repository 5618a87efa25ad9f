import { catalogueRoutes, type CatalogueView } from "@copper-kettle/contract";
import { onScopeDispose, shallowRef, type ShallowRef } from "vue";
import { api } from "../api.js";

/** What the service has, by name: sent once, and kept fresh while somebody is at the page. */
const known = shallowRef<CatalogueView>({ apis: [], credentials: [], workflows: [], constants: {} });
let loadedAt = 0;
let loading: Promise<void> | undefined;
/** After so many milliseconds it is asked for again. */
const freshMillis = 3_000;

async function load(): Promise<void> {
  if (!loading || Date.now() - loadedAt >= freshMillis) {
    loadedAt = Date.now();
    loading = api.call(catalogueRoutes.catalogue).then(
      (found) => void (known.value = found),
      () => undefined, // what was known holds until the next time
    );
  }
  await loading;
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
