import { bodyOfAttempt, printForPeople, statusText, type Entry, principalName } from "@copper-kettle/core";
import colors from "./colors.js";
import { brief, stateText } from "./output.js";

/** One entry of a journal as a line for people; undefined for what says nothing to them. */
export function entryLine(entry: Entry): string | undefined {
  const text = textOf(entry);
  if (text === undefined) return undefined;
  const time = new Date(entry.at).toISOString().slice(11, 23);
  return `${colors.dim(time)}  ${text}`;
}

function textOf(entry: Entry): string | undefined {
  const step = "path" in entry && entry.path ? colors.bold(entry.path) : "";
  switch (entry.type) {
    case "started":
      return `started ${entry.workflow} ${entry.version === 0 ? "(draft)" : `version ${entry.version}`} with ${brief(entry.inputs)}`;
    case "begun": {
      const request = entry.data["request"] as { method: string; url: string } | undefined;
      if (request) return `${step}  ${request.method} ${request.url}`;
      if (entry.kind === "if") return `${step}  takes "${String(entry.data["chose"])}"`;
      if (entry.kind === "each") return `${step}  ${String(entry.data["length"])} items`;
      if (entry.kind === "wait")
        return `${step}  waits until ${new Date(entry.data["until"] as number).toISOString()}`;
      return `${step}  ${entry.kind}`;
    }
    case "attempt": {
      const took = colors.dim(`${entry.at - entry.sentAt} ms`);
      const wait =
        entry.wait === undefined
          ? ""
          : entry.renewed
            ? "; retried immediately with a new token"
            : `; again in ${printForPeople(entry.wait)}${entry.asked ? ", as it asks" : ""}`;
      if (entry.failure)
        return `${step}  no response (${entry.failure.kind}): ${entry.failure.message}${detailText(entry.failure.detail)}${wait}`;
      if (entry.pretended === "rehearsal")
        return `${step}  ${colors.yellow("not sent")}${colors.dim(" (rehearsal)")}`;
      const status = entry.response?.status ?? 0;
      const paint = status < 300 ? colors.green : status < 500 ? colors.yellow : colors.red;
      const items = entry.items
        ? `${entry.items.length} ${entry.items.length === 1 ? "item" : "items"}  `
        : "";
      return `${step}  ${paint(`${status}${statusText(status)}`)} ${took}  ${items}${brief(bodyOfAttempt(entry), 80)}${wait}`;
    }
    case "limited":
      return `${step}  waits for the rate limit of its API`;
    case "locked":
      return `${step}  locked "${entry.lock}"`;
    case "unsure":
      return `${step}  ${stateText("unsure")}: ${entry.reason}${detailText(entry.detail)}`;
    case "decided":
      if (entry.decision === "resume") return `resumed by ${principalName(entry.by)}`;
      if (entry.decision === "continue")
        return `${step}  continued by ${principalName(entry.by)}${entry.changes ? `, with ${entry.changes.length} changed` : ""}`;
      return `${step}  decided by ${principalName(entry.by)}: ${entry.decision}`;
    case "ended":
      if (entry.error) return `${step}  ${stateText("failed")}: ${entry.error.message}`;
      if (entry.skipped !== undefined) return `${step}  ${entry.skipped}`;
      if (entry.kind === "respond") return `${step}  responds ${brief(entry.outcome)}`;
      return entry.kind === "set" || entry.kind === "note" ? `${step}  ${brief(entry.outcome)}` : undefined;
    case "rested":
      if (entry.state === "waiting" && entry.until === undefined)
        return `${stateText("waiting")}: ${entry.reason ?? ""}`;
      if (entry.state === "waiting")
        return `${stateText("waiting")} until ${new Date(entry.until ?? 0).toISOString()}`;
      return `${stateText(entry.state)}${entry.reason ? `: ${entry.reason}` : ""}`;
    case "stopping":
      return `stopped by ${principalName(entry.by)}`;
    case "finished":
      return `${stateText(entry.state)}${entry.error ? `: ${entry.error.message}` : entry.message ? `: ${entry.message}` : ""}`;
    case "sending":
    case "secrets":
    case "item":
      return undefined;
  }
}

/** The code of the system or library behind a failure, in its place behind the sentence. */
function detailText(detail: string | undefined): string {
  return detail ? colors.dim(` Details: ${detail}`) : "";
}
