import type { Router } from "vue-router";

/** Where a list was scrolled to, by its place in the browser's history: who goes back finds it as it was. */
const places = new Map<number, number>();

const position = (): number => Number((history.state as { position?: number } | null)?.position ?? 0);

/** Forgets places ahead of where somebody goes on in another direction. */
export function followPlaces(router: Router): void {
  router.afterEach((to, from) => {
    if (to.path === from.path) return;
    const here = position();
    if (here > last) for (const at of [...places.keys()]) if (at >= here) places.delete(at);
    last = here;
  });
}
let last = -1;

export const placeHere = (): number => places.get(position()) ?? 0;

export function keepPlace(at: number): void {
  places.set(position(), at);
}
