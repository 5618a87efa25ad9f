import { runsRoutes, type Client, type RunDetail } from "@copper-kettle/contract";
import { printJson } from "@copper-kettle/core";
import { Exit, exitCodes, serviceUrl, type Globals } from "../context.js";
import { entryLine } from "../entries.js";
import { followRun } from "../follow.js";
import { counted, say, show, stateText } from "../output.js";

/** Follows a run until it comes to rest, with its entries on a terminal. */
export async function follow(client: Client, globals: Globals, id: string): Promise<RunDetail> {
  await followRun(
    client,
    id,
    serviceUrl(globals),
    (entry) => {
      const line = process.stderr.isTTY ? entryLine(entry) : undefined;
      if (line) say(line);
    },
    { throughSleep: true },
  );
  return client.call(runsRoutes.run, { params: { id } });
}

/** Prints the response of a run that has come to rest, and ends with the fitting code. */
export function finish(run: RunDetail, globals: () => { json?: boolean }): void {
  show(globals(), run, () => (run.response ? printJson(run.response.body, 2) : ""));
  if (run.problems > 0)
    say(`The run succeeded with ${counted(run.problems, "problem")}: ckettle run show ${run.id}`);
  if (run.state === "succeeded") return;
  const why =
    run.error?.message ??
    run.message ??
    (run.unsure[0] ? `${run.unsure[0].path}: ${run.unsure[0].reason}` : "");
  const next =
    run.state === "unsure" ? `\nDecide with: ckettle run decide ${run.id} happened|again|skip|stop` : "";
  throw new Exit(exitCodes.runFailed, `${stateText(run.state)}  ${run.id}  ${why}${next}`);
}
