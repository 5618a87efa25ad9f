import type { Principal } from "./principals.js";
import type { PageMark } from "../http/pages.js";
import type { Piece } from "../http/multipart.js";
import type { BrokenBody, FailureKind, ResponseHeaders } from "../http/message.js";
import type { Mismatch } from "../shapes/drift.js";
import type { Json, JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { RunOptions } from "./options.js";
import type { Wait } from "./awaited.js";

/** The version of the entries below; a run with a journal of another version is parked, never guessed at. */
export const journalFormat = 2;

/** What expressions mean by now; a change of that meaning raises it, and a run keeps the one that it began with. */
export const languageVersion = 1;

export type RunState =
  "queued" | "running" | "waiting" | "succeeded" | "failed" | "stopped" | "unsure" | "parked" | "skipped";

/** What ended a run or a step badly. `code` is stable; `message` is for people. */
export interface RunError {
  code: string;
  message: string;
  /** The path of the step at which it happened. */
  step?: string;
  status?: number;
  body?: Json;
  /** The fault's place in an expression's text. */
  field?: string;
}

/** What started a run. */
export interface Trigger {
  /** `workflow`: a step of another run called it. */
  kind: "by-hand" | "workflow" | "schedule" | "webhook" | "poll";
  /** The trigger of the file, where one brought it. */
  name?: string;
  id: string;
  /** RFC 3339. */
  at: string;
  /** The run and the step that called it, and how many calls lie above it. */
  caller?: { run: string; path: string; depth: number };
  /** Of a schedule: for how many beats that were missed it stands, its own among them. */
  missed?: number;
  /** Of a poll: what is new or changed, and what it was before; or several of them. */
  item?: Json;
  before?: Json;
  new?: boolean;
  items?: Json;
  /** Of a delivery: what came. */
  method?: string;
  headers?: JsonObject;
  query?: JsonObject;
  body?: Json;
  /** What was fetched for an event that only named it: the outcome of a call. */
  fetched?: Json;
  /** Of a delivery that is a CloudEvent: its attributes. */
  event?: JsonObject;
}

/** A request as the journal keeps it: without its authorization. */
export interface RecordedRequest {
  method: string;
  url: string;
  headers: [string, string][];
  /** A body with files in it is stored in pieces. */
  body?: string | { pieces: Piece[] };
}

/** A response as the journal keeps it. */
export interface RecordedResponse {
  status: number;
  headers: ResponseHeaders;
  body: Json;
  /** The text of the body, where the value does not tell it: of XML and CSV. */
  text?: string;
  url: string;
  /** What was wrong with the body, where its media type promised something else. */
  fault?: string;
  /** Why there is no body at all. */
  broken?: BrokenBody["code"];
  /** The body is a list of events or lines. */
  listed?: true;
  /** There were more of them than are read. */
  more?: true;
  /** 304: the body is what the earlier step read. */
  unchanged?: true;
}

/** What was added to a request to prove who calls, with the secrets masked. */
export interface ShownAuthorization {
  place: string;
  name: string;
  value: string;
}

/** The next request of a call that goes on over several: to a further page, or to look whether it is done. */
export interface NextRequest {
  url: string;
  /** Whether it only looks, with GET and without a body. */
  look?: boolean;
  /** What asks for the page, if it is not the URL. */
  mark?: PageMark;
}

/**
 * Why a response leaves open whether the call was carried out: a gateway gave it, which does not know (RFC 9110 sections
 * 15.6.3 and 15.6.5); or the precondition of a repeat failed, perhaps by the change that the first send made (13.2.2).
 */
export type UnknownCause = "gateway" | "precondition";

export type Decision = "happened" | "again" | "skip" | "stop";

/** What a person decides: about an unsure call; to continue from a breakpoint; to resume a parked run. */
export type Decided = Decision | "continue" | "resume";

/** What every entry has. */
export interface Common {
  /** Milliseconds since 1970. */
  at: number;
  /** Places in this entry that hold a secret too short to be found by its value. */
  masked?: Path[];
}

/** One thing that happened in a run. `path` names the step, inside loops as `huts[17]/lookup`. */
export type Entry = Common &
  (
    | {
        type: "started";
        format: number;
        /** What its expressions mean; missing: 1. A run keeps to the meaning that it began with. */
        language?: number;
        workflow: string;
        version: number;
        origin: string;
        inputs: JsonObject;
        trigger: Trigger;
        /** Who started it; missing in runs from before that was noted. */
        principal?: Principal;
        /** The revision of each API's document that the run uses. */
        apis?: Record<string, number>;
        options?: RunOptions;
      }
    | { type: "secrets"; values: string[]; places: Path[] }
    | { type: "begun"; path: string; kind: string; data: JsonObject }
    | { type: "sending"; path: string; attempt: number }
    | {
        type: "attempt";
        path: string;
        attempt: number;
        /** When it was sent, in milliseconds since 1970; `at` is when it came out. */
        sentAt: number;
        response?: RecordedResponse;
        /** `detail` is the code of the system or library, such as `ECONNRESET`. */
        failure?: { kind: FailureKind; message: string; sent: boolean; detail?: string };
        authorization?: ShownAuthorization[];
        /** Milliseconds until the next attempt; missing when there is none. */
        wait?: number;
        /** Whether the response asked for that wait (Retry-After). */
        asked?: boolean;
        /** Sent again at once with another proof, after a 401; this attempt does not count. */
        renewed?: boolean;
        redirects?: string[];
        /** Which request of the call it was of, from 0: a further page, or a look whether it is done. */
        leg?: number;
        /** The items of a page. */
        items?: Json[];
        /** Where they stood in its body, which is stored with an empty list there. */
        itemsAt?: string[];
        /** There are more pages than were requested. */
        more?: boolean;
        /** The request that follows this response. */
        next?: NextRequest;
        /** It was not sent: the run is a rehearsal, or a fault was put on it. */
        pretended?: "rehearsal" | "fault";
        /** Where the response departs from the shape that its API's document gives. */
        drift?: Mismatch[];
      }
    /** The step holds a name that others wait for. */
    | { type: "locked"; path: string; lock: string }
    /** Waits for the rate limit of its API, about until then. */
    | { type: "limited"; path: string; until: number }
    | {
        type: "unsure";
        path: string;
        attempt: number;
        reason: string;
        detail?: string;
        authorization?: ShownAuthorization[];
        /** The response that leaves it open, and why; missing if none came. */
        response?: RecordedResponse;
        cause?: UnknownCause;
      }
    | {
        type: "decided";
        /** The step; empty for the whole run. */
        path: string;
        decision: Decided;
        /** With `happened`: what the step gives. */
        outcome?: Json;
        /** With `continue`: values that were changed at the breakpoint. */
        changes?: { place: Path; value: Json }[];
        /** With `continue`: pause again before the next step, or before the first that is not of the same item. */
        next?: "step" | "item";
        /** Who decided, as `printPrincipal` writes it; in older journals a bare name. */
        by: string;
      }
    | { type: "ended"; path: string; kind: string; outcome?: Json; error?: RunError; skipped?: string }
    | { type: "item"; path: string; value?: Json; error?: RunError; problems?: number }
    | {
        type: "rested";
        state: "waiting" | "unsure" | "parked";
        /** When to go on by itself. */
        until?: number;
        path?: string;
        reason?: string;
        /** What its steps wait for besides a time: the run goes on as soon as one of them has come. */
        waits?: Wait[];
      }
    | { type: "stopping"; by: string }
    | { type: "finished"; state: RunState; error?: RunError; message?: string; problems: number }
  );

export type EntryOf<T extends Entry["type"]> = Extract<Entry, { type: T }>;
