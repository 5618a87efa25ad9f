import {
  fixedOutcomes,
  isObject,
  outline,
  parseJson,
  printJson,
  setOwn,
  type JsonObject,
  type Path,
  type RunOptions,
} from "@copper-kettle/core";
import type { JournalStore } from "../store/journal.js";
import type { WorkflowStore } from "../store/workflows.js";

/** Of the options of a run what its row shows in the open: how it goes, and nobody's values. */
export function shownOptions({
  fixed,
  responses: _samples,
  faults,
  breakpoints,
  ...plain
}: RunOptions): JsonObject {
  return {
    ...(plain as JsonObject),
    ...(fixed ? { fixed: Object.keys(fixed) } : {}),
    ...(faults ? { faults: faults.map(({ step }) => step) } : {}),
    // A condition may name a secret value; the journal has it masked.
    ...(breakpoints
      ? { breakpoints: breakpoints.map((one) => (typeof one === "string" ? one : one.step)) }
      : {}),
  };
}

/** Whether a run only reads, and shows what it would write. */
export function isRehearsal(row: { options?: string | null }): boolean {
  const options = row.options ? parseJson(row.options) : null;
  return isObject(options) && options["rehearsal"] === true;
}

/** How many earlier runs are looked through for responses. */
const mostRuns = 30;
/** A run with more calls than this is passed over: reading it would take longer than a rehearsal should. */
const mostCalls = 500;
/** A response with more characters than this is not a sample. */
const longestPasted = 20_000;

/**
 * What calls of a workflow last answered, by step: responses for a rehearsal, where the document of an API has none. The
 * secrets that came up in those runs come with them.
 */
export async function lastAnswers(
  { journals, workflows }: { journals: JournalStore; workflows: WorkflowStore },
  workflow: string,
  text: string,
): Promise<{ responses: JsonObject; secrets: string[]; places: Path[] }> {
  const { partial } = await workflows.parsed(text);
  const wanted = new Set(
    outline(partial?.steps ?? [])
      .filter(({ kind }) => kind === "request")
      .map(({ name }) => name),
  );
  const rows = await journals.runs.list({ workflow, states: ["succeeded", "failed"], mostCalls }, mostRuns);
  const responses: JsonObject = {};
  const secrets: string[] = [];
  const places: Path[] = [];
  for (const row of rows) {
    if (wanted.size === 0) break;
    if (isRehearsal(row)) continue;
    const secret = await journals.secretPlaces(row.id);
    const fixed = fixedOutcomes((await journals.load(row.id, row.workflow)).entries);
    for (const name of wanted) {
      const answer = fixed[name];
      if (!isObject(answer) || typeof answer["status"] !== "number") continue;
      wanted.delete(name);
      const { status, headers = {}, body = null } = answer;
      if (printJson(body).length <= longestPasted) setOwn(responses, name, { status, headers, body });
      places.push(
        ...secret
          .filter(([root, step]) => root === "steps" && step === name)
          .map(([, , ...rest]): Path => ["options", "responses", name, ...rest]),
      );
    }
    secrets.push(...(await journals.secrets(row.id)));
  }
  return { responses, secrets, places };
}
