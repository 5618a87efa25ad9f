import type { Express } from "express";
import type { Context } from "../context.js";
import { serveActivity } from "./activity.js";
import { serveApis } from "./apis.js";
import { serveBackups } from "./backups.js";
import { serveByHand } from "./by-hand.js";
import { serveCatalogue } from "./catalogue.js";
import { serveConstants } from "./constants.js";
import { serveCredentials } from "./credentials.js";
import { serveDrift } from "./drift.js";
import { serveErasures } from "./erasures.js";
import { serveGrants } from "./grants.js";
import { serveHome } from "./home.js";
import { serveFiles } from "./files.js";
import { serveLocks } from "./locks.js";
import { serveNetwork } from "./network.js";
import { serveNotifications } from "./notifications.js";
import { serveOperations } from "./operations.js";
import { serveRateLimits } from "./rate-limits.js";
import { serveRecords } from "./records.js";
import { serveRemembered } from "./remembered.js";
import { serveRetention } from "./retention.js";
import { serveRuns } from "./runs.js";
import { serveSamples } from "./samples.js";
import { serveSealingKey } from "./sealing-key.js";
import { serveSession } from "./session.js";
import { serveStatus } from "./status.js";
import { serveTokens } from "./tokens.js";
import { serveTriggerEvents } from "./trigger-events.js";
import { serveTriggers } from "./triggers.js";
import { serveTries } from "./tries.js";
import { serveVersions } from "./versions.js";
import { serveWorkflows } from "./workflows.js";

export { serveSignIn } from "./session.js";

/**
 * Serves every route of the contract, but for signing in. Each file here has the name of one in `contract/routes/`.
 * Runs come first: starts come in by the thousand, and each route before theirs is looked at.
 */
export function serveRoutes(app: Express, context: Context): void {
  serveRuns(app, context);
  serveActivity(app, context);
  serveApis(app, context);
  serveBackups(app, context);
  serveByHand(app, context);
  serveCatalogue(app, context);
  serveConstants(app, context);
  serveCredentials(app, context);
  serveDrift(app, context);
  serveErasures(app, context);
  serveGrants(app, context);
  serveHome(app, context);
  serveFiles(app, context);
  serveLocks(app, context);
  serveNetwork(app, context);
  serveNotifications(app, context);
  serveOperations(app, context);
  serveRateLimits(app, context);
  serveRecords(app, context);
  serveRemembered(app, context);
  serveRetention(app, context);
  serveSamples(app, context);
  serveSealingKey(app, context);
  serveSession(app, context);
  serveStatus(app, context);
  serveTokens(app, context);
  serveTriggers(app, context);
  serveTriggerEvents(app, context);
  serveTries(app, context);
  serveVersions(app, context);
  serveWorkflows(app, context);
}
