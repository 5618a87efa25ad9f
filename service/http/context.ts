import type { Transport } from "@copper-kettle/core";
import type { Logger } from "pino";
import type { Sealing } from "../sealing/sealing.js";
import type { ConstantStore } from "../store/constants.js";
import type { CredentialStore } from "../store/credentials.js";
import type { JournalStore } from "../store/journal.js";
import type { WorkflowStore } from "../store/workflows.js";
import type { Runner } from "../runs/runner.js";
import type { Starts } from "../runs/starts.js";
import type { Auth } from "./auth.js";

/** What the routes work with. */
export interface Context {
  version: string;
  startedAt: number;
  dataFolder: string;
  /** The service's own address. */
  url: string;
  auth: Auth;
  workflows: WorkflowStore;
  credentials: CredentialStore;
  constants: ConstantStore;
  journals: JournalStore;
  transport: Transport;
  sealing: Sealing;
  runner: Runner;
  starts: Starts;
  log: Logger;
}
