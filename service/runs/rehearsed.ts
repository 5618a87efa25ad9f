import { heldOutcomes, isObject, outline, printJson, setOwn, type JsonObject } from "@copper-kettle/core";
import { Op } from "sequelize";
import type { JournalStore } from "../store/journal.js";
import { RunRow } from "../store/models.js";
import type { WorkflowStore } from "../store/workflows.js";

/** How many earlier runs are looked through for answers. */
const mostRuns = 30;
/** A run with more calls than this is passed over: reading it would take longer than a rehearsal should. */
const mostCalls = 500;
/** An answer with more characters than this is no sample. */
const longestSample = 20_000;

/**
 * What calls of a workflow last answered, by step: samples for a rehearsal, where the document of an API has none. The
 * secrets that came up in those runs come with them.
 */
export async function lastAnswers(
  { journals, workflows }: { journals: JournalStore; workflows: WorkflowStore },
  workflow: string,
  text: string,
): Promise<{ samples: JsonObject; secrets: string[] }> {
  const { partial } = await workflows.parsed(text);
  const wanted = new Set(
    outline(partial?.steps ?? [])
      .filter(({ kind }) => kind === "request")
      .map(({ name }) => name),
  );
  const rows = await RunRow.findAll({
    where: { workflow, state: { [Op.in]: ["succeeded", "failed"] }, calls: { [Op.lte]: mostCalls } },
    order: [["id", "DESC"]],
    limit: mostRuns,
  });
  const samples: JsonObject = {};
  const secrets: string[] = [];
  for (const row of rows) {
    if (wanted.size === 0) break;
    if (row.options?.includes('"rehearsal":true')) continue;
    const held = heldOutcomes((await journals.load(row.id, row.workflow)).entries);
    for (const name of wanted) {
      const answer = held[name];
      if (!isObject(answer) || typeof answer["status"] !== "number") continue;
      wanted.delete(name);
      const { status, headers = {}, body = null } = answer;
      if (printJson(body).length <= longestSample) setOwn(samples, name, { status, headers, body });
    }
    secrets.push(...(await journals.secrets(row.id)));
  }
  return { samples, secrets };
}
