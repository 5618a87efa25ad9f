import { sessionRoutes } from "./session.js";
import { tokensRoutes } from "./tokens.js";
import { statusRoutes } from "./status.js";
import { homeRoutes } from "./home.js";
import { workflowsRoutes } from "./workflows.js";
import { versionsRoutes } from "./versions.js";
import { runsRoutes } from "./runs.js";
import { byHandRoutes } from "./by-hand.js";
import { recordsRoutes } from "./records.js";
import { rememberedRoutes } from "./remembered.js";
import { filesRoutes } from "./files.js";
import { locksRoutes } from "./locks.js";
import { rateLimitsRoutes } from "./rate-limits.js";
import { constantsRoutes } from "./constants.js";
import { sealingKeyRoutes } from "./sealing-key.js";
import { networkRoutes } from "./network.js";
import { notificationsRoutes } from "./notifications.js";
import { retentionRoutes } from "./retention.js";
import { triggerEventsRoutes } from "./trigger-events.js";
import { triggersRoutes } from "./triggers.js";
import { grantsRoutes } from "./grants.js";
import { erasuresRoutes } from "./erasures.js";
import { backupsRoutes } from "./backups.js";
import { apisRoutes } from "./apis.js";
import { operationsRoutes } from "./operations.js";
import { driftRoutes } from "./drift.js";
import { samplesRoutes } from "./samples.js";
import { triesRoutes } from "./tries.js";
import { catalogueRoutes } from "./catalogue.js";
import { credentialsRoutes } from "./credentials.js";
import { activityRoutes } from "./activity.js";

/** Every route of the service, by name. */
export const routes = {
  ...sessionRoutes,
  ...tokensRoutes,
  ...statusRoutes,
  ...homeRoutes,
  ...workflowsRoutes,
  ...versionsRoutes,
  ...runsRoutes,
  ...byHandRoutes,
  ...recordsRoutes,
  ...rememberedRoutes,
  ...filesRoutes,
  ...locksRoutes,
  ...rateLimitsRoutes,
  ...constantsRoutes,
  ...sealingKeyRoutes,
  ...networkRoutes,
  ...notificationsRoutes,
  ...retentionRoutes,
  ...backupsRoutes,
  ...erasuresRoutes,
  ...grantsRoutes,
  ...triggersRoutes,
  ...triggerEventsRoutes,
  ...apisRoutes,
  ...operationsRoutes,
  ...driftRoutes,
  ...samplesRoutes,
  ...triesRoutes,
  ...catalogueRoutes,
  ...credentialsRoutes,
  ...activityRoutes,
} as const;

export type Routes = typeof routes;
