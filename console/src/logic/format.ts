import { printForPeople } from "@copper-kettle/core";

export function when(iso: string | null): string {
  if (!iso) return "";
  const date = new Date(iso);
  const today = new Date().toDateString() === date.toDateString();
  const time = date.toLocaleTimeString([], {
    hour: "2-digit",
    minute: "2-digit",
    second: "2-digit",
    hour12: false,
  });
  return today
    ? time
    : `${date.toLocaleDateString([], { year: "numeric", month: "short", day: "numeric" })} ${time}`;
}

export function took(run: { startedAt: string | null; endedAt: string | null }, now = Date.now()): string {
  if (!run.startedAt) return "";
  return printForPeople(
    Math.max(0, (run.endedAt ? Date.parse(run.endedAt) : now) - Date.parse(run.startedAt)),
  );
}
