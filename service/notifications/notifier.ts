import type { Notifications, NotificationsInput } from "@copper-kettle/contract";
import type { Json, Transport } from "@copper-kettle/core";
import type { Logger } from "pino";
import type { SettingStore } from "../store/settings.js";
import { deliverByMail, deliverByWebhook, newWebhookSecret, type Ways } from "./channels.js";
import { tryMessage, type Message } from "./messages.js";

/** A message on its way by one way. */
interface Pending {
  by: "webhook" | "mail";
  message: Message;
  to?: string[];
  tries: number;
  /** When to try next, in milliseconds since 1970. */
  at: number;
  /** Why the last try failed. */
  fault?: string;
}

/** Something to notify people of, or something that is over: when it comes again, people are notified again. */
export type News = { key: string; message: Message } | { over: string };

/** Waits before a delivery is tried again, in milliseconds; after the last it is given up. */
const waits = [5_000, 30_000, 120_000, 600_000, 3_600_000, 6 * 3_600_000, 12 * 3_600_000];
const mostPending = 1_000;

/** Tells people: once for each state, by the ways that are set; what could not be delivered is tried again. */
export class Notifier {
  #pending: Pending[];
  /** What was reported, and is still so: `run greet-guest failed`. */
  readonly #told: Set<string>;
  #timer: NodeJS.Timeout | undefined;
  #working = false;
  #closed = false;
  /** Why the last one that was given up was not delivered. */
  #givenUp: string | null = null;

  constructor(
    readonly settings: SettingStore,
    readonly transport: Transport,
    readonly log: Logger,
    readonly source: string,
    readonly now: () => number,
  ) {
    this.#pending = (settings.get("notifications-pending") as unknown as Pending[] | undefined) ?? [];
    this.#told = new Set((settings.get("told") as string[] | undefined) ?? []);
    this.#soon();
  }

  get ways(): Ways {
    const none: Ways = { webhook: null, mail: null, workflows: {} };
    return { ...none, ...(this.settings.get("notifications") as Partial<Ways> | undefined) };
  }

  view(): Notifications {
    const { webhook, mail, workflows } = this.ways;
    const { password: _password, ...shown } = mail ?? { password: "" };
    return {
      webhook: webhook && { url: webhook.url },
      mail: mail && (shown as Notifications["mail"]),
      workflows: workflows as Notifications["workflows"],
      waiting: this.#pending.length,
      lastFault: this.lastFault,
    };
  }

  /** Why the last try failed, of those that wait or were given up. */
  get lastFault(): string | null {
    return this.#pending.findLast(({ fault }) => fault !== undefined)?.fault ?? this.#givenUp;
  }

  /** That some are not delivered, and why, as a sentence; null where none has failed. */
  get undelivered(): string | null {
    const count = this.#pending.filter(({ fault }) => fault !== undefined).length;
    if (count === 0) return null;
    return `${count} ${count === 1 ? "notification is" : "notifications are"} not delivered. The last try: ${this.lastFault}`;
  }

  /** Changes the ways; secrets that are left out stay. Returns a signing secret that was made. */
  async change(input: NotificationsInput): Promise<string | undefined> {
    const ways = this.ways;
    let made: string | undefined;
    if (input.webhook !== undefined) {
      const { url, secret = ways.webhook?.secret ?? (made = newWebhookSecret()) } = input.webhook ?? {};
      ways.webhook = input.webhook && url !== undefined ? { url, secret } : null;
      if (!input.webhook) made = undefined;
    }
    if (input.mail !== undefined)
      ways.mail = input.mail && { ...input.mail, password: input.mail.password ?? ways.mail?.password };
    if (input.workflows !== undefined) ways.workflows = input.workflows;
    await this.settings.put("notifications", JSON.parse(JSON.stringify(ways)) as Json);
    return made;
  }

  /**
   * Takes what is new, in its order: a message is sent once for its key, until the key is over.
   * @param within what belongs into the transaction that stores it
   */
  async take(news: readonly News[], within?: () => Promise<void>): Promise<void> {
    const before = this.#pending.length;
    let changed = within !== undefined;
    for (const one of news)
      changed = ("over" in one ? this.#told.delete(one.over) : this.#isNew(one.key, one.message)) || changed;
    if (!changed) return;
    await this.#keep(within);
    if (this.#pending.length !== before) this.#soon();
  }

  #isNew(key: string, message: Message): boolean {
    if (this.#told.has(key)) return false;
    this.#told.add(key);
    const { webhook, mail, workflows } = this.ways;
    const own = workflows[message.subject];
    if (own?.off) return true;
    const at = this.now();
    if (webhook) this.#pending.push({ by: "webhook", message, tries: 0, at });
    if (mail) this.#pending.push({ by: "mail", message, to: own?.to ?? mail.to, tries: 0, at });
    this.#pending = this.#pending.slice(-mostPending);
    return true;
  }

  isTold(key: string): boolean {
    return this.#told.has(key);
  }

  told(): string[] {
    return [...this.#told];
  }

  /** Sends a message by every way, and says what came of it. */
  async try(): Promise<{ by: string; fault: string | null }[]> {
    const { webhook, mail } = this.ways;
    const message = tryMessage(this.source);
    const outcome = async (by: string, send: () => Promise<void>) => ({
      by,
      fault: await send().then(
        () => null,
        (error: unknown) => (error as Error).message,
      ),
    });
    return Promise.all([
      ...(webhook
        ? [outcome("webhook", () => deliverByWebhook(this.transport, webhook, message, this.source))]
        : []),
      ...(mail ? [outcome("mail", () => deliverByMail(mail, mail.to, message))] : []),
    ]);
  }

  close(): void {
    this.#closed = true;
    clearTimeout(this.#timer);
  }

  #soon(): void {
    clearTimeout(this.#timer);
    const next = Math.min(...this.#pending.map(({ at }) => at));
    if (this.#closed || !Number.isFinite(next)) return;
    this.#timer = setTimeout(() => void this.#deliver(), Math.max(0, next - this.now()));
  }

  async #deliver(): Promise<void> {
    if (this.#working) return;
    this.#working = true;
    try {
      for (const pending of this.#pending.filter(({ at }) => at <= this.now())) await this.#one(pending);
      await this.#keep();
    } catch (error) {
      this.log.error({ err: error }, "messages could not be saved");
    } finally {
      this.#working = false;
      this.#soon();
    }
  }

  async #one(pending: Pending): Promise<void> {
    const { webhook, mail } = this.ways;
    try {
      if (pending.by === "webhook" && webhook)
        await deliverByWebhook(this.transport, webhook, pending.message, this.source);
      if (pending.by === "mail" && mail) await deliverByMail(mail, pending.to ?? mail.to, pending.message);
      this.#givenUp = null;
      this.#pending = this.#pending.filter((one) => one !== pending);
    } catch (error) {
      const wait = waits[pending.tries++];
      pending.fault = `${pending.by}: ${(error as Error).message}`;
      this.log.warn(
        { err: error, by: pending.by, type: pending.message.type },
        "a message could not be delivered",
      );
      if (wait === undefined) {
        this.#givenUp = pending.fault;
        this.#pending = this.#pending.filter((one) => one !== pending);
      } else pending.at = this.now() + wait;
    }
  }

  #keep(within?: () => Promise<void>): Promise<void> {
    const pending = this.#pending as unknown as Json;
    return this.settings.putAll({ "notifications-pending": pending, told: [...this.#told] }, within);
  }
}
