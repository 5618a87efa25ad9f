import type { Logger } from "pino";
import { stateOf } from "../credentials/view.js";
import type { CredentialStore } from "../store/credentials.js";
import type { JournalStore } from "../store/journal.js";
import { parseJson, type RunError } from "@copper-kettle/core";
import { RunRow } from "../store/models.js";
import type { TokenStore } from "../store/tokens.js";
import { credentialMessage, runMessage, type RunTold } from "./messages.js";
import type { Notifier } from "./notifier.js";

interface Parts {
  notifier: Notifier;
  journals: JournalStore;
  credentials: CredentialStore;
  tokens: TokenStore;
  log: Logger;
  console: string;
}

const toldStates = ["failed", "unsure", "parked", "skipped"] as const;

/** Watches runs and credentials for what people should know. */
export function watch(parts: Parts): { look(): Promise<void> } {
  const { notifier, journals, log } = parts;
  const safely = (work: Promise<void>): void =>
    void work.catch((error: unknown) => log.error({ err: error }, "somebody could not be told"));
  journals.events.on("state", (run, workflow, state) => {
    const told = toldStates.find((one) => one === state);
    if (told) safely(tellRun(parts, run, workflow, told));
    else if (state === "succeeded") safely(notifier.over(toldStates.map((one) => `run ${workflow} ${one}`)));
  });
  return { look: () => tellCredentials(parts) };
}

async function tellRun(
  { notifier, console }: Parts,
  run: string,
  workflow: string,
  state: RunTold["state"],
): Promise<void> {
  const key = `run ${workflow} ${state}`;
  if (notifier.isTold(key)) return;
  const row = await RunRow.findByPk(run);
  // A rehearsal or a test by hand has somebody who looks at it.
  if (!row || row.options !== null || row.version === 0) return;
  const error = row.error ? (parseJson(row.error) as unknown as RunError) : undefined;
  const [unsure] = parseJson(row.unsure) as unknown as { path: string; reason: string }[];
  const message = error?.message ?? (unsure ? `${unsure.path}: ${unsure.reason}` : (row.message ?? null));
  await notifier.tell(key, runMessage({ run, workflow, state, message }, console));
}

async function tellCredentials({ notifier, credentials, tokens, console }: Parts): Promise<void> {
  const failing = new Set<string>();
  for (const open of credentials.all()) {
    const { state, sentence } = stateOf(open, tokens);
    if (state === "incomplete" || sentence === null) continue;
    const key = `credential ${open.name} ${state}`;
    failing.add(key);
    await notifier.tell(key, credentialMessage(open.name, state, sentence, console));
  }
  const over = notifier.told().filter((key) => key.startsWith("credential ") && !failing.has(key));
  await notifier.over(over);
}
