import type { ResponseHeaders } from "../../http/message.js";
import type { ReadyCall } from "../../workflows/steps.js";
import type { PaceTurn } from "../ports.js";
import { longestWaitInMemory, type Frame, type Walk } from "../walk.js";
import type { Leg } from "./call-leg.js";

/** From this many milliseconds on, a wait for the pace is told in the journal. */
const worthTelling = 500;

/** The leave to send one attempt. */
export interface Turn {
  answered(response: { status: number; headers: ResponseHeaders } | undefined): void;
  failed(): void;
}

/** Waits until the pace of the API and the credential lets a call go. */
export async function paced(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  leg: Leg,
  path: string,
): Promise<Turn | "dropped"> {
  const { pace, clock } = walk.ports;
  const call = {
    url: leg.request.url,
    ...(step.operation ? { api: step.operation.api } : {}),
    ...(step.using === undefined ? {} : { credential: step.using }),
    workflow: walk.workflow.name,
  };
  for (;;) {
    const turn: PaceTurn | { until: number } = pace.take(call) ?? (await queued());
    if ("until" in turn) {
      if (step.whenPaced === "drop") return "dropped";
      await walk.sleepUntil(turn.until, frame, path, {
        pace: call.api ?? new URL(call.url).host,
        reason: `Waits for the pace of ${call.api ?? new URL(call.url).host}.`,
      });
      continue;
    }
    let over = false;
    const end = (response: Parameters<Turn["answered"]>[0]): void => {
      if (!over) turn.done(response);
      over = true;
    };
    return { answered: end, failed: () => end(undefined) };
  }

  async function queued(): Promise<PaceTurn | { until: number }> {
    const expected = pace.expected(call);
    const left = expected - clock.now();
    if (step.whenPaced === "drop" || left > longestWaitInMemory) return { until: expected };
    if (left >= worthTelling) {
      walk.note({ type: "paced", path, at: clock.now(), until: expected });
      await walk.flush();
    }
    walk.checkSignals(frame, path);
    try {
      return await pace.wait(call, walk.signals.rouse);
    } catch (error) {
      walk.checkSignals(frame, path);
      throw error;
    }
  }
}
