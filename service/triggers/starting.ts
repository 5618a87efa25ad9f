import { sha256Hex, type ReadyTrigger } from "@copper-kettle/core";
import type { Share } from "../runs/queue.js";
import { BadInputs, KeyReused, QueueFull } from "../runs/start-request.js";
import type { EventState } from "../store/events.js";
import { triggerKey } from "../store/start-keys.js";
import { HasProblems } from "../store/workflows.js";

/** The key of a start by a trigger. What somebody tries on a draft claims no key of what is in force. */
export const keyOf = (trigger: string, key: string, { isDraft }: { isDraft: boolean }): string =>
  triggerKey(isDraft ? `draft ${trigger}` : trigger, key);

/** What the runs of a trigger count against. Texts of people stand there as digests. */
export function sharesOf(
  workflow: string,
  trigger: string,
  { parallel, whenBusy, latestOnly }: ReadyTrigger,
  turn: string | undefined,
): { shares: Share[]; skipIfFull: string[] } {
  const own = `${workflow} ${trigger}`;
  const shares: Share[] = [
    ...(parallel === undefined ? [] : [{ name: own, most: parallel }]),
    ...(turn === undefined
      ? []
      : [
          {
            name: `${own} ${sha256Hex(turn).slice(0, 32)}`,
            most: 1,
            ...(latestOnly ? { latest: true } : {}),
          },
        ]),
  ];
  return { shares, skipIfFull: whenBusy === "skip" ? [own] : [] };
}

/** What an event that could not start a run becomes; undefined for what is no fault of it. */
export function refusal(error: unknown): { state: EventState; reason: string; run?: string } | undefined {
  if (error instanceof BadInputs)
    return {
      state: "refused",
      reason: error.faults.map(({ field, message }) => `${field}: ${message}`).join(" "),
    };
  if (error instanceof KeyReused)
    return { state: "same", reason: "Its key was there before, with something else in it.", run: error.run };
  if (error instanceof QueueFull) return { state: "skipped", reason: error.message };
  if (error instanceof HasProblems) return { state: "refused", reason: error.message };
  return undefined;
}
