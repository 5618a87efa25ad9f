import type { Run } from "@copper-kettle/contract";
import { when } from "./format.js";

/** What a person should know of a run in a list: what it waits for, what is unsure, why it failed. */
export function whyOf(run: Run): string {
  if (run.state === "waiting" && run.wakeAt) return `until ${when(run.wakeAt)}`;
  const [wait] = run.waits;
  if (run.state === "waiting" && wait) return `for the ${wait.kind} ${wait.name}`;
  if (run.unsure.length > 0) return `${run.unsure[0]?.path}: ${run.unsure[0]?.reason}`;
  return run.error?.message ?? run.message ?? "";
}

export const problemsOf = ({ problems: count }: { problems: number }): string =>
  `${count} ${count === 1 ? "problem" : "problems"}`;

/** How a run began, in a few words. */
export function beganBy({ trigger, rehearsal, version }: Run): string {
  const kind = trigger.name === undefined ? trigger.kind : `${trigger.kind} ${trigger.name}`;
  return [kind, version === 0 ? "draft" : "", rehearsal ? "rehearsal" : ""].filter(Boolean).join(", ");
}
