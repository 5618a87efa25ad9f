import { parseJson, type RunError } from "@copper-kettle/core";
import type { Logger } from "pino";
import { stateOf } from "../credentials/view.js";
import type { CredentialStore } from "../store/credentials.js";
import type { JournalStore } from "../store/journal.js";
import { reportedStates, type Outbox, type Report } from "../store/outbox.js";
import type { TokenStore } from "../store/tokens.js";
import type { Trouble } from "../store/troubles.js";
import { credentialMessage, runMessage, triggerMessage, type RunTold } from "./messages.js";
import type { News, Notifier } from "./notifier.js";

interface Parts {
  notifier: Notifier;
  journals: JournalStore;
  outbox: Outbox;
  credentials: CredentialStore;
  tokens: TokenStore;
  /** What triggers do not do as they should. */
  troubles: () => Promise<Trouble[]>;
  log: Logger;
  console: string;
}

/** Makes notifications of what runs and credentials come to. */
export class Watcher {
  /** The look that goes on, and the one that is asked for meanwhile. */
  #looking: Promise<void> = Promise.resolve();
  #next: Promise<void> | undefined;
  /** Reading the outbox: one at a time, so that reports are taken in their order. */
  #reading: Promise<void> = Promise.resolve();

  constructor(readonly parts: Parts) {
    parts.journals.events.on("state", (run) => {
      if (parts.outbox.hasNews(run)) void this.report();
    });
  }

  /** Takes what is in the outbox, and makes notifications of it; what fails stays there for the next time. */
  report(): Promise<void> {
    this.#reading = this.#reading
      .then(() => this.#report())
      .catch((error: unknown) =>
        this.parts.log.error({ err: error }, "what is to be reported could not be read or stored"),
      );
    return this.#reading;
  }

  async #report(): Promise<void> {
    const { outbox, notifier } = this.parts;
    for (;;) {
      const reports = await outbox.read();
      if (reports.length === 0) return;
      const news: News[] = [];
      for (const report of reports) news.push(...(await this.#news(report)));
      await notifier.take(news, () => outbox.remove(reports));
      outbox.done(reports, (workflow) =>
        reportedStates.some((state) => notifier.isTold(keyOf(workflow, state))),
      );
    }
  }

  async #news({ run, workflow, state }: Report): Promise<News[]> {
    if (!isReported(state)) return reportedStates.map((one) => ({ over: keyOf(workflow, one) }));
    const row = await this.parts.journals.runs.find(run);
    // A rehearsal or a test by hand has somebody who looks at it.
    if (!row || row.options !== null || row.version === 0) return [];
    const error = row.error ? (parseJson(row.error) as unknown as RunError) : undefined;
    const [unsure] = parseJson(row.unsure) as unknown as { path: string; reason: string }[];
    const message = error?.message ?? unsure?.reason ?? row.message ?? null;
    const step = error?.step ?? unsure?.path ?? null;
    return [
      {
        key: keyOf(workflow, state),
        message: runMessage({ run, workflow, state, message, step }, this.parts.console),
      },
    ];
  }

  /** Looks at all credentials and triggers: their state says by itself what people should know. One look at a time. */
  look(): Promise<void> {
    this.#next ??= this.#looking.then(() => {
      this.#next = undefined;
      return this.#look();
    });
    this.#looking = this.#next.catch(() => undefined);
    return this.#next;
  }

  async #look(): Promise<void> {
    const { credentials, tokens, notifier, console } = this.parts;
    const failing = new Set<string>();
    const news: News[] = [];
    for (const open of credentials.all()) {
      const { state, sentence } = stateOf(open, tokens);
      if (state === "incomplete" || sentence === null) continue;
      const key = `credential ${open.name} ${state}`;
      failing.add(key);
      news.push({ key, message: credentialMessage(open.name, state, sentence, console) });
    }
    for (const trouble of await this.parts.troubles()) {
      const key = `trigger ${trouble.workflow} ${trouble.trigger}`;
      failing.add(key);
      news.push({ key, message: triggerMessage(trouble, console) });
    }
    const over = notifier.told().filter((key) => /^(credential|trigger) /.test(key) && !failing.has(key));
    await notifier.take([...news, ...over.map((key) => ({ over: key }))]);
  }
}

function isReported(state: string): state is RunTold["state"] {
  return reportedStates.some((one) => one === state);
}

function keyOf(workflow: string, state: string): string {
  return `run ${workflow} ${state}`;
}
