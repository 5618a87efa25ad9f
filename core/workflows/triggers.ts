import type { Expression } from "../expressions/compile.js";
import type { Template } from "../expressions/templates.js";
import type { Schedule } from "../triggers/schedule.js";
import type { JsonObject } from "../values/json.js";
import type { CallStep, ValueTemplate } from "./steps.js";

/** What every trigger has. */
export interface TriggerBase {
  title?: string;
  /** Where it begins in its file. */
  line: number;
  onlyIf?: Expression;
  inputs?: ValueTemplate;
  /** A reading call for what an event only names. */
  fetch?: CallStep;
  /** Runs with the same text go one after another. */
  oneAtATime?: ValueTemplate;
  latestOnly?: boolean;
  /** Runs of this trigger side by side; `skip`: an event that comes then starts a run that does nothing. */
  parallel?: number;
  whenBusy: "queue" | "skip";
  /** People are notified when nothing that it started has succeeded for so long, in milliseconds. */
  successWithin?: number;
  /** The name that it had before. */
  was?: string;
}

export interface ByHandTrigger extends TriggerBase {
  kind: "by-hand";
  examples: { name: string; inputs: JsonObject; expect?: Expression }[];
}

export interface ScheduleTrigger extends TriggerBase {
  kind: "schedule";
  /** Its dates left out are those that the file writes; with `exceptFrom` a constant lists them. */
  schedule: Schedule;
  exceptFrom?: Template;
}

/** How a delivery proves where it comes from; `using` is a credential. */
export type Verify =
  | { by: "none" }
  | { by: "standard-webhooks" | "basic" | "bearer" | "api-key"; using: string }
  | { by: "jwt"; issuer: string; audience: string; algorithms: readonly string[] }
  | {
      by: "hmac";
      using: string;
      header: string;
      /** Such as `sha256={hex}`. */
      value: string;
      /** Such as `${timestamp}.${body}`. */
      base: string;
      /** The header with the time, where it is not in the other one. */
      timestamp?: string;
      /** How old a delivery may be, in milliseconds. */
      within: number;
    };

/** A response that the file says. */
export interface Reply {
  status: number;
  headers?: ValueTemplate;
  body?: ValueTemplate;
}

export interface WebhookTrigger extends TriggerBase {
  kind: "webhook";
  path: string;
  methods: readonly string[];
  verify: Verify;
  oncePer?: Expression;
  /** How long a key counts, in milliseconds. */
  retainKeys?: number;
  /** Whether a repeat gets the failure of its first run. */
  retainFailures: boolean;
  /** The list in a delivery that holds many. */
  items?: Expression;
  /** Of an item: what is the same in a repeat. */
  idOf?: Expression;
  each: "item" | "batch";
  rateLimit?: { calls: number; per: number };
  response: "accepted" | "from-run" | Reply;
  /** The longest that the sender waits for a run, in milliseconds. */
  within: number;
  /** `sign`: what the sender wants signed; the reply has it as `signature`. */
  handshake?: { when: Expression; reply: Reply; unsigned: boolean; sign?: Expression };
  /** The longest body, in bytes. */
  most: number;
  /** Pages of other sites that may send: a list of origins. */
  origins?: ValueTemplate;
}

export interface PollTrigger extends TriggerBase {
  kind: "poll";
  /** The call that looks; it only reads. */
  call: CallStep;
  /** Milliseconds. */
  every: number;
  items?: Expression;
  idOf?: Expression;
  changed?: Expression;
  ignore?: Expression;
  /** `since`: what the mark is at first. */
  first: "skip" | "all" | { since: ValueTemplate };
  /** Whether an item that is not there any more starts a run, too. */
  gone: boolean;
  /** How long an item that is absent stays known, in milliseconds. */
  retainKeys?: number;
  each: "item" | "batch";
  /** With `batch`: so many items a run. */
  most: number;
  /** `overlap` in milliseconds. */
  mark?: { value: Expression; kind: "time" | "number" | "text"; overlap: number };
}

/** A trigger made ready. */
export type ReadyTrigger = ByHandTrigger | ScheduleTrigger | WebhookTrigger | PollTrigger;
