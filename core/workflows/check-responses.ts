import { mayRespondWith } from "../http/response-headers.js";
import { misfits } from "../shapes/misfits.js";
import { own, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { Preparer } from "./prepare.js";
import type { RespondStep } from "./steps.js";

/**
 * Checks what a `respond` step gives a starter: header fields that it may not set, and, where the file lists its
 * `responses`, whether the status is among them and the body can fit the schema.
 * @param at the path of `respond`
 */
export function checkRespond(
  { source, knowledge }: Preparer,
  step: RespondStep,
  at: Path,
  responses: JsonObject | undefined,
): void {
  for (const name of headerNames(step))
    if (!mayRespondWith(name))
      source.reportKey(
        [...at, "headers"],
        name,
        "response",
        `A workflow's response may not have the header ${name}: it would speak for the whole service.`,
      );
  checkLocation(source, step, at);
  const status = "constant" in step.status ? String(step.status.constant) : undefined;
  if (!responses || status === undefined || !/^\d{3}$/.test(status)) return;
  const schema = own(responses, status);
  if (schema === undefined) {
    const listed = Object.keys(responses).join(", ") || "none";
    const message = `"responses" does not list ${status}; it lists ${listed}.`;
    return source.report([...at, "status"], "response", message);
  }
  const body = step.body ? knowledge.valueShape(step.body) : undefined;
  const faults = misfits(body ?? { kinds: [], nullable: true }, schema, "body");
  for (const message of faults) source.report(step.body ? [...at, "body"] : at, "response", message);
}

/** Where a response leads to is written in the file: a value that came from outside must not lead a browser elsewhere. */
function checkLocation(source: Preparer["source"], { headers }: RespondStep, at: Path): void {
  if (!headers || !("entries" in headers)) return;
  for (const [name, value] of headers.entries) {
    if (name.toLowerCase() !== "location" || !("template" in value)) continue;
    const [first] = value.template.parts;
    if (first && "text" in first && /^(?:https?:\/\/[^/?#\s]+\/|\/[^/\\])/i.test(first.text)) continue;
    source.report(
      [...at, "headers", name],
      "response",
      "Location must begin with an origin or a path that is written out, such as https://stays.example/stays/${…}.",
    );
  }
}

function headerNames({ headers }: RespondStep): string[] {
  if (!headers) return [];
  if ("entries" in headers) return headers.entries.map(([name]) => name);
  return "constant" in headers && typeof headers.constant === "object" && headers.constant !== null
    ? Object.keys(headers.constant)
    : [];
}
