import type { Clock, Transport } from "@copper-kettle/core";
import type { CredentialUses } from "../credentials/use.js";
import type { Logger } from "pino";
import type { ApiStore } from "../store/apis.js";
import type { ConstantStore } from "../store/constants.js";
import type { DriftStore } from "../store/drift.js";
import type { FileStore } from "../store/files.js";
import type { JournalStore } from "../store/journal.js";
import type { AsideReader } from "../outbound/aside.js";
import type { WorkflowStore } from "../store/workflows.js";
import type { RememberedStore } from "../store/remembered.js";
import type { LockKeeper } from "./locks.js";
import type { RateLimiter } from "./rate-limiter.js";

/** What runs need of the service. */
export interface RunnerParts {
  journals: JournalStore;
  workflows: WorkflowStore;
  credentials: CredentialUses;
  constants: ConstantStore;
  files: FileStore;
  drift: DriftStore;
  apis: ApiStore;
  remembered: RememberedStore;
  rateLimiter: RateLimiter;
  locks: LockKeeper;
  transport: Transport;
  reader: AsideReader;
  clock: Clock;
  log: Logger;
}
