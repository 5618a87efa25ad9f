import { credentialsRoutes, runsRoutes, urlOf } from "@copper-kettle/contract";
import { parseJson, type Entry } from "@copper-kettle/core";
import { onScopeDispose } from "vue";
import { api, sentence, shared } from "../api.js";
import { PagesAhead, type JournalPage } from "./pages-ahead.js";

/** What the service tells of itself: a run changed its state, runs have new entries, it is there again, it is away. */
type News =
  | { kind: "state"; id: string }
  | { kind: "entries"; runs: string[]; more: boolean }
  | { kind: "open" | "away" };

/** So long the service may be away before anybody is told, in milliseconds; a restart is shorter. */
const patience = 1_500;
const name = "copper-kettle-events";
const listeners = new Set<(news: News) => void>();
let channel: BroadcastChannel | undefined;
let isStarted = false;
let awayTimer: ReturnType<typeof setTimeout> | undefined;

function hear(news: News): void {
  if (news.kind === "away") {
    awayTimer ??= setTimeout(() => (shared.awaySince ??= Date.now() - patience), patience);
    return;
  }
  clearTimeout(awayTimer);
  awayTimer = undefined;
  shared.awaySince = undefined;
  for (const listener of [...listeners]) listener(news);
}

function tell(news: News): void {
  channel?.postMessage(news);
  hear(news);
}

/**
 * One stream of events for all tabs of a browser, which has few connections to a host: the tab that holds a lock reads it, and
 * tells the others. Where a browser has no locks (they want https, or this machine), each tab that is seen reads its own.
 */
export function followService(): void {
  if (isStarted) return;
  isStarted = true;
  if (!("locks" in navigator)) return whileSeen();
  if (!channel) {
    channel = new BroadcastChannel(name);
    channel.onmessage = ({ data }: MessageEvent<News>) => hear(data);
  }
  void navigator.locks
    .request(name, () => new Promise<void>((over) => read(new AbortController().signal, over)))
    .then(() => (isStarted = false));
}

function whileSeen(): void {
  let stop: AbortController | undefined;
  const look = (): void => {
    stop?.abort();
    if (document.visibilityState === "visible")
      read((stop = new AbortController()).signal, () => (isStarted = false));
  };
  document.addEventListener("visibilitychange", look);
  look();
}

/** Reads the stream until it is told to stop, or the session is over; after another refusal it looks again after a while. */
function read(stop: AbortSignal, over: () => void): void {
  const source = new EventSource(urlOf(runsRoutes.events, {}));
  const on = (event: string, take: (data: Record<string, unknown>) => News): void =>
    source.addEventListener(event, (message) =>
      tell(take(parseJson((message as MessageEvent<string>).data) as Record<string, unknown>)),
    );
  source.onopen = () => tell({ kind: "open" });
  on("state", ({ id }) => ({ kind: "state", id: String(id) }));
  on("entries", ({ runs, more }) => ({ kind: "entries", runs: runs as string[], more: more === true }));
  source.onerror = () => {
    tell({ kind: "away" });
    if (source.readyState !== EventSource.CLOSED) return; // the browser tries again by itself
    setTimeout(() => {
      if (stop.aborted) return;
      // Whether the session has ended is what an ordinary call is told.
      void api.call(credentialsRoutes.redirectUri).then(
        () => read(stop, over),
        (error: unknown) => {
          sentence(error);
          if (shared.signedIn) read(stop, over);
          else over();
        },
      );
    }, 2_000);
  };
  stop.addEventListener("abort", () => source.close());
}

function listen(listener: (news: News) => void): void {
  followService();
  listeners.add(listener);
  onScopeDispose(() => listeners.delete(listener));
}

/** Calls back when the state of any run changes, and when the service is there again: at once, then each half second. */
export function onRunChange(react: () => void): void {
  let timer: ReturnType<typeof setTimeout> | undefined;
  let last = 0;
  listen(({ kind }) => {
    if (timer || kind === "entries") return;
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

const pageSize = 2_000;

/**
 * Reads the entries of a run, and those that come while the component lives.
 * @param take called with those that came; `isWhole` once all that there are were read
 * @param failed called with what kept them from being read
 * @returns what takes the number of the last entry, from whoever knows it before all were read
 */
export function followEntries(
  id: string,
  take: (entries: Entry[], isWhole: boolean) => void,
  failed: (error: unknown) => void,
): (last: number) => void {
  let after = -1;
  let [isReading, isAsked, isGone] = [false, false, false];
  let ahead: PagesAhead | undefined;
  const page = (from: number): Promise<JournalPage> =>
    api.call(runsRoutes.journal, { params: { id }, query: { after: from, limit: pageSize } });
  async function read(): Promise<void> {
    isAsked = true;
    if (isReading) return;
    isReading = true;
    try {
      while (isAsked && !isGone) {
        isAsked = false;
        for (ahead = new PagesAhead(page, pageSize); !isGone;) {
          const { entries, more } = await ahead.next(after);
          after = entries.at(-1)?.seq ?? after;
          if (!isGone)
            take(
              entries.map(({ entry }) => entry as unknown as Entry),
              !more,
            );
          if (!more) break;
        }
        ahead = undefined;
      }
    } catch (error) {
      failed(error);
    } finally {
      isReading = false;
    }
  }
  listen((news) => {
    if (news.kind === "open" || (news.kind === "entries" && (news.more || news.runs.includes(id))))
      void read();
  });
  onScopeDispose(() => (isGone = true));
  void read();
  return (last) => ahead?.expect(last);
}
