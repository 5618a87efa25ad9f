import { routes, urlOf, type AnyRoute } from "@copper-kettle/contract";
import { parseJson } from "@copper-kettle/core";
import { onScopeDispose } from "vue";

/** Opens a stream of events for as long as the component lives; the browser reconnects by itself. */
export function listen(
  route: AnyRoute,
  input: { params?: unknown; query?: unknown },
  event: string,
  onEvent: (data: unknown) => void,
): () => void {
  const source = new EventSource(urlOf(route, input));
  source.addEventListener(event, (message) => onEvent(parseJson((message as MessageEvent<string>).data)));
  const close = (): void => source.close();
  onScopeDispose(close);
  return close;
}

/** Calls back when the state of any run changes: at once, then at most every half second. */
export function onRunChange(react: () => void): void {
  let timer: ReturnType<typeof setTimeout> | undefined;
  let last = 0;
  listen(routes.events, {}, "state", () => {
    if (timer) return;
    timer = setTimeout(
      () => {
        timer = undefined;
        last = Date.now();
        react();
      },
      Math.max(0, last + 500 - Date.now()),
    );
  });
  onScopeDispose(() => clearTimeout(timer));
}
