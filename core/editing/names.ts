import { stepName } from "../workflows/document.js";

/** A name that no step of a file has: the wanted one, or with the lowest number behind it. */
export function freeName(wanted: string, taken: ReadonlySet<string>): string {
  const base = nameFrom(wanted);
  if (!taken.has(base)) return base;
  const stem = base.replace(/\d+$/, "");
  for (let number = 2; ; number++) if (!taken.has(`${stem}${number}`)) return `${stem}${number}`;
}

/** A name of a step made from any words: `List the huts` becomes `listTheHuts`. */
export function nameFrom(words: string): string {
  const parts = words
    .normalize("NFKD")
    .replace(/[\u0300-\u036f']/g, "")
    .split(/[^A-Za-z0-9_]+/)
    .filter(Boolean);
  const made = parts
    .map(
      (part, index) =>
        (index === 0 ? part.charAt(0).toLowerCase() : part.charAt(0).toUpperCase()) + part.slice(1),
    )
    .join("")
    .slice(0, 60);
  return stepName.test(made) ? made : stepName.test(`${made}_`) && made !== "" ? `${made}_` : `step${made}`;
}
