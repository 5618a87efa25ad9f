import type { ResponseHeaders } from "../../../http/message.js";
import type { ReadyCall } from "../../../workflows/steps.js";
import type { SendTurn } from "../../ports.js";
import type { Frame } from "../../frame.js";
import { longestWaitInMemory } from "../../progress.js";
import type { Walk } from "../../walk.js";
import type { Leg } from "./leg.js";

/** From this many milliseconds on, a wait for the rate limit is noted in the journal. */
const worthTelling = 500;

/** The leave to send one attempt. */
export interface Turn {
  answered(response: { status: number; headers: ResponseHeaders } | undefined): void;
  failed(): void;
}

/** Waits until the rate limit of the API and the credential allows a call. */
export async function turnToSend(
  walk: Walk,
  step: ReadyCall,
  frame: Frame,
  leg: Leg,
  path: string,
): Promise<Turn | "skipped"> {
  const { rateLimits, clock } = walk.ports;
  const call = {
    url: leg.request.url,
    ...(step.operation ? { api: step.operation.api } : {}),
    ...(step.using === undefined ? {} : { credential: step.using.join(" ") }),
    workflow: walk.workflow.name,
  };
  for (;;) {
    const turn: SendTurn | { until: number } = (await rateLimits.take(call)) ?? (await queued());
    if ("until" in turn) {
      if (step.whenLimited === "skip") return "skipped";
      const name = call.api ?? new URL(call.url).host;
      const reason = `Waits for the rate limit of ${name}.`;
      await walk.progress.sleepUntil(turn.until, frame, path, { kind: "rate-limit", name, reason });
      continue;
    }
    let over = false;
    const end = (response: Parameters<Turn["answered"]>[0]): void => {
      if (!over) turn.done(response);
      over = true;
    };
    return { answered: end, failed: () => end(undefined) };
  }

  async function queued(): Promise<SendTurn | { until: number }> {
    const expected = await rateLimits.expected(call);
    const left = expected - clock.now();
    if (step.whenLimited === "skip" || left > longestWaitInMemory) return { until: expected };
    if (left >= worthTelling) {
      walk.write.note({ type: "limited", path, at: clock.now(), until: expected });
      await walk.write.flush();
    }
    walk.progress.check(frame, path);
    try {
      return await rateLimits.wait(call, walk.progress.signals.rouse);
    } catch (error) {
      walk.progress.check(frame, path);
      throw error;
    }
  }
}
