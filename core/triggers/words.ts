import cronstrue from "cronstrue";
import { printForPeople } from "../values/durations.js";
import type { Schedule } from "./schedule.js";

/** A schedule as a sentence, such as `Every 15 s` or `At 05:00, Europe/Vienna`. */
export function wordsOf({ every, cron, zone, from, until, except, jitter }: Schedule): string {
  const first =
    every === undefined
      ? `${cronstrue.toString(cron ?? "", { use24HourTimeFormat: true, verbose: false })}, ${zone}`
      : `Every ${printForPeople(every)}`;
  const date = (at: number): string => new Date(at).toISOString().slice(0, 16).replace("T", " ");
  return [
    first,
    ...(from === undefined ? [] : [`from ${date(from)} UTC`]),
    ...(until === undefined ? [] : [`until ${date(until)} UTC`]),
    ...(except.length === 0 ? [] : [`not on ${except.length} ${except.length === 1 ? "date" : "dates"}`]),
    ...(jitter === undefined ? [] : [`up to ${printForPeople(jitter)} later`]),
  ].join(", ");
}
