import type { Transport } from "@copper-kettle/core";
import type { Logger } from "pino";
import type { CredentialUses } from "../credentials/use.js";
import type { AsideReader } from "../outbound/aside.js";
import type { TokenKeeper } from "../oauth/keeper.js";
import type { TokenRequests } from "../oauth/requests.js";
import type { SignIns } from "../oauth/sign-in.js";
import type { Sealing } from "../sealing/sealing.js";
import type { ActivityStore } from "../store/activity.js";
import type { ApiStore } from "../store/apis.js";
import type { Blobs } from "../store/blobs.js";
import type { Checkpoints } from "../store/checkpoints.js";
import type { ConstantStore } from "../store/constants.js";
import type { CredentialStore } from "../store/credentials.js";
import type { DriftStore } from "../store/drift.js";
import type { SampleStore } from "../store/samples.js";
import type { JournalStore } from "../store/journal.js";
import type { TokenStore } from "../store/tokens.js";
import type { TryStore } from "../store/tries.js";
import type { Writer } from "../store/writer.js";
import type { WorkflowStore } from "../store/workflows.js";
import type { Runner } from "../runs/runner.js";
import type { LockKeeper } from "../runs/locks.js";
import type { RateLimiter } from "../runs/rate-limiter.js";
import type { RememberedStore } from "../store/remembered.js";
import type { SettingStore } from "../store/settings.js";
import type { RunActs } from "../runs/acts.js";
import type { TokenVerifier } from "../triggers/token-verifier.js";
import type { Events } from "../triggers/events.js";
import type { Schedules } from "../triggers/schedules.js";
import type { SeenStore } from "../store/seen.js";
import type { FileStore } from "../store/files.js";
import type { EventStore } from "../store/events.js";
import type { Starts } from "../runs/starts.js";
import type { Notifier } from "../notifications/notifier.js";
import type { Pruner } from "../upkeep/retention.js";
import type { Auth } from "./auth.js";

/** What the routes work with. */
export interface Context {
  version: string;
  startedAt: number;
  dataFolder: string;
  /** The folder under which backups are written. */
  backupFolder: string;
  /** The address under which senders reach webhooks. */
  webhooksUrl: string;
  /** The address under which people reach the service. */
  publicUrl: string;
  auth: Auth;
  workflows: WorkflowStore;
  credentials: CredentialStore;
  writer: Writer;
  apis: ApiStore;
  drift: DriftStore;
  samples: SampleStore;
  tries: TryStore;
  tokens: TokenStore;
  uses: CredentialUses;
  keeper: TokenKeeper;
  requests: TokenRequests;
  /** What verifies tokens that senders show. */
  verifier: TokenVerifier;
  signIns: SignIns;
  activity: ActivityStore;
  constants: ConstantStore;
  remembered: RememberedStore;
  rateLimiter: RateLimiter;
  locks: LockKeeper;
  settings: SettingStore;
  notifier: Notifier;
  pruner: Pruner;
  journals: JournalStore;
  transport: Transport;
  reader: AsideReader;
  sealing: Sealing;
  blobs: Blobs;
  checkpoints: Checkpoints;
  runner: Runner;
  starts: Starts;
  eventStore: EventStore;
  files: FileStore;
  seen: SeenStore;
  events: Events;
  schedules: Schedules;
  acts: RunActs;
  log: Logger;
}
