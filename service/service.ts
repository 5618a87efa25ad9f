import { mkdir } from "node:fs/promises";
import { join } from "node:path";
import { pino } from "pino";
import type { Config } from "./config.js";
import { createApp, createPublicApp } from "./http/app.js";
import { Auth } from "./http/auth.js";
import { closing, addressOf, hostsOf, listening, portOf, shownHostOf } from "./http/listening.js";
import { CredentialUses } from "./credentials/use.js";
import { callbackPath } from "./http/oauth-callback.js";
import { EndpointFetch } from "./oauth/fetch.js";
import { Logins } from "./oauth/logins.js";
import { TokenKeeper } from "./oauth/keeper.js";
import { TokenRequests } from "./oauth/requests.js";
import { SignIns } from "./oauth/sign-in.js";
import { UsableCredentials } from "./store/usable.js";
import { TokenStore } from "./store/tokens.js";
import { TryStore } from "./store/tries.js";
import { AsideReader } from "./outbound/aside.js";
import { DocumentReader } from "./openapi/read.js";
import { assembleOutbound } from "./outbound/assembly.js";
import { systemClock } from "./runs/clock.js";
import { armAll } from "./triggers/arming.js";
import { EventStore } from "./store/events.js";
import { RunActs } from "./runs/acts.js";
import { withReused } from "./runs/again.js";
import { ChildRuns } from "./runs/children.js";
import { LockKeeper } from "./runs/locks.js";
import { RateLimiter } from "./runs/rate-limiter.js";
import { Runner } from "./runs/runner.js";
import { Starts } from "./runs/starts.js";
import { Sealing } from "./sealing/sealing.js";
import { AccessStore } from "./store/access.js";
import { ApiStore } from "./store/apis.js";
import { Blobs } from "./store/blobs.js";
import { ConstantStore } from "./store/constants.js";
import { ActivityStore } from "./store/activity.js";
import { CredentialStore } from "./store/credentials.js";
import { Checkpoints } from "./store/checkpoints.js";
import { openDatabase } from "./store/database.js";
import { DriftStore } from "./store/drift.js";
import { LifeStore } from "./store/lives.js";
import { loaded } from "./store/loaded.js";
import { SampleStore } from "./store/samples.js";
import { AttentionStore } from "./store/attention.js";
import { SettingStore } from "./store/settings.js";
import { RememberedStore } from "./store/remembered.js";
import { Forgetting } from "./store/forgetting.js";
import { FileStore } from "./store/files.js";
import { JournalStore } from "./store/journal.js";
import { lockFolder } from "./store/folder-lock.js";
import { migrate } from "./store/migrations.js";
import { defineModels } from "./store/models.js";
import { Notifier } from "./notifications/notifier.js";
import { Watcher } from "./notifications/watch.js";
import { eachMinute } from "./upkeep/each-minute.js";
import { DiskWatch } from "./upkeep/disk.js";
import { Tally } from "./upkeep/tally.js";
import { Pruner } from "./upkeep/retention.js";
import {
  beforeUpgrade,
  keepRoom,
  lastVersion,
  openWithRoom,
  giveFirstToken,
  lookForDamage,
  noteAddress,
  requireOwnDatabase,
  requireWholeRestore,
} from "./upkeep/folder.js";
import { ServerMetadata } from "./oauth/metadata.js";
import { TokenVerifier } from "./triggers/token-verifier.js";
import { assembleTriggers } from "./triggers/assembly.js";
import { troubles } from "./store/troubles.js";
import { holdRestored } from "./upkeep/restored.js";
import { WorkflowStore } from "./store/workflows.js";
import { Writer } from "./store/writer.js";

export const version = "0.1.0";

export interface Service {
  url: string;
  /** Takes in no more, lets what is being sent finish, commits, and lets the data folder go. */
  close(): Promise<void>;
}

/**
 * Starts the service on its data folder and goes on with every unfinished run.
 * @throws FolderTaken when another service owns the folder
 */
export async function startService(config: Config): Promise<Service> {
  const folder = config.dataFolder;
  await mkdir(folder, { recursive: true, mode: 0o700 });
  const lock = await lockFolder(folder, { url: `http://${config.listen}:${config.port}` });
  const tokenFile = join(folder, "token");
  const databaseFile = join(folder, "copper-kettle.sqlite");
  requireWholeRestore(folder, databaseFile);
  const { store, migrated } = await openWithRoom(folder, async () => {
    const store = await openDatabase(databaseFile);
    defineModels(store.sequelize);
    return {
      store,
      migrated: await migrate(store, {
        copy: join(folder, beforeUpgrade),
        wroteBy: await lastVersion(folder),
      }),
    };
  });
  const writer = new Writer(store);
  const checkpoints = await Checkpoints.open(databaseFile);
  await requireOwnDatabase(databaseFile, tokenFile);
  const sealing = await Sealing.open(writer, join(folder, "sealing.key"), config.key);
  const { sealer } = sealing;
  const blobs = new Blobs(join(folder, "blobs"));
  const usable = await loaded(new UsableCredentials(writer));
  const credentials = await loaded(new CredentialStore(writer, sealer, usable));
  const tokens = await loaded(new TokenStore(writer, sealer, credentials.masks, usable));
  const activity = new ActivityStore(writer);
  const log = pino(
    { level: config.logLevel, base: null, timestamp: pino.stdTimeFunctions.isoTime },
    { write: (line: string) => void process.stderr.write(credentials.masks.text(line)) },
  );
  if (migrated.length > 0) log.info({ migrated }, "database brought up to date");
  const constants = await loaded(new ConstantStore(writer));
  const lives = await LifeStore.begun(writer, Date.now());
  const drift = await loaded(new DriftStore(writer));
  const apis = await loaded(new ApiStore(writer, blobs, drift));
  const eventStore = new EventStore(writer, sealer, credentials.masks);
  await eventStore.loadSamples();
  const workflows = new WorkflowStore(writer, apis, eventStore);
  await workflows.grants.loadAll();
  const journals = new JournalStore(store, writer, blobs, sealer);
  const settings = await loaded(new SettingStore(writer, sealer));
  const outbound = { ...config, userAgent: `copper-kettle/${version}` };
  const { transport, networks, rule } = assembleOutbound(outbound, { settings, apis, credentials });
  const reader = new AsideReader();
  const documents = new DocumentReader();
  const files = new FileStore(writer, blobs, sealer);
  const locks = new LockKeeper((name) => sealer.digest(name));
  await locks.loadAll(journals.runs);
  const now = (): number => systemClock.now();
  const endpoints = new EndpointFetch(transport, now);
  const requests = new TokenRequests(endpoints, now);
  const verifier = new TokenVerifier(new ServerMetadata(endpoints, now), endpoints, now);
  const keeper = new TokenKeeper({
    requests,
    logins: new Logins(transport, credentials, now),
    tokens,
    credentials,
    activity,
    log,
    now,
  });
  const uses = new CredentialUses(credentials, keeper, activity, now);
  const remembered = await loaded(new RememberedStore(writer, sealer, now));
  const [rateLimiter, tally] = [new RateLimiter(apis, now), new Tally(journals, now)];
  const runner = new Runner({
    journals,
    workflows,
    credentials: uses,
    constants,
    files,
    apis,
    drift,
    remembered,
    rateLimiter,
    locks,
    transport: tally.counting(transport, (url) => rateLimiter.apiOf(url)),
    reader,
    clock: systemClock,
    log,
  });
  const starts = new Starts(journals, workflows, runner);
  const acts = new RunActs(journals, runner);
  const { triggers } = workflows;
  const assembled = assembleTriggers({ starts, runner, workflows, constants, log, now });
  const { events, seen, looks, schedules } = assembled;
  journals.withReused = (row, own) =>
    withReused(
      { workflows, journals },
      row,
      own,
      async (source) => (await journals.loadWhole(source)).entries,
    );
  runner.children = new ChildRuns({ starts, acts, runner, journals, workflows });
  let ready = false;
  const server = await listening({ host: config.listen, port: config.port });
  const port = portOf(server);
  const shownHost = shownHostOf(config.listen);
  const url = `http://${shownHost}:${port}`;
  const publicUrl = config.publicUrl ?? url;
  const publicServer = config.publicListen ? await listening(config.publicListen) : undefined;
  const webhooksUrl = config.webhooksUrl ?? (publicServer ? addressOf(publicServer) : publicUrl);
  const hosts = hostsOf({ publicUrl, port, shownHost, hostNames: config.hostNames });
  const auth = new Auth(new AccessStore(writer), {
    secure: publicUrl.startsWith("https:"),
    origin: new URL(publicUrl).origin,
    names: new Set(config.hostNames.map((name) => name.toLowerCase())),
  });
  await auth.loadAll();
  await giveFirstToken(auth, tokenFile);
  const notifier = new Notifier(settings, transport, log, publicUrl, now);
  const pruner = new Pruner(new Forgetting(writer, blobs, now), settings, log, now);
  const { outbox } = journals;
  await outbox.loadAll(notifier.told().flatMap((key) => /^run (\S+) /.exec(key)?.[1] ?? []));
  const watcher = new Watcher({
    notifier,
    journals,
    outbox,
    credentials,
    tokens,
    troubles: () => troubles(store, now()),
    log,
    console: publicUrl,
  });
  const context = {
    version,
    startedAt: Date.now(),
    dataFolder: folder,
    backupFolder: config.backupFolder,
    publicUrl,
    webhooksUrl,
    auth,
    workflows,
    credentials,
    writer,
    apis,
    drift,
    lives,
    attention: new AttentionStore(writer),
    samples: new SampleStore(writer),
    tries: new TryStore(writer),
    tokens,
    uses,
    keeper,
    requests,
    verifier,
    signIns: new SignIns(requests, keeper, credentials, `${publicUrl}${callbackPath}`, now),
    activity,
    constants,
    settings,
    notifier,
    pruner,
    remembered,
    tally,
    rateLimiter,
    locks,
    journals,
    transport,
    networks,
    addressRule: rule,
    reader,
    documents,
    sealing,
    blobs,
    checkpoints,
    runner,
    starts,
    acts,
    eventStore,
    files,
    seen,
    looks,
    events,
    schedules,
    log,
  };
  const { trustedProxies, forwardedField } = config;
  const proxies = { trustedProxies, forwardedField };
  publicServer?.on("request", createPublicApp(context, { ...proxies, ready: () => ready }));
  server.on(
    "request",
    createApp(context, {
      hosts,
      consoleFolder: config.consoleFolder,
      ...proxies,
      publicSide: publicServer === undefined,
      ready: () => ready,
    }),
  );
  await noteAddress(folder, { url, pid: process.pid, version }).catch((error: unknown) =>
    log.warn({ err: error }, "the service's address could not be noted: commands need --url"),
  );
  const held = await holdRestored(folder, journals, now());
  if (held > 0) log.warn({ runs: held }, "restored from a backup: unfinished runs are held");
  runner.pauseAll(settings.get("paused") === true);
  const disk = new DiskWatch({
    folder,
    console: publicUrl,
    rest: (resting) => runner.pauseAll(resting, "disk"),
    faults: runner.faults,
    take: (news) => notifier.take(news),
    now,
  });
  const lookAtDisk = (): Promise<void> =>
    disk.look().catch((error: unknown) => log.warn({ err: error }, "the room on the disk is not known"));
  await lookAtDisk();
  await watcher.report();
  await runner.start();
  await armAll(workflows, constants.all(), now()).catch((error: unknown) =>
    log.warn({ err: error }, "triggers of older versions are not in force yet"),
  );
  await assembled.start();
  ready = true;
  log.info({ url, dataFolder: folder, version }, "listening");
  await keepRoom(folder);
  const damage = lookForDamage(databaseFile, runner.faults, log, now);

  const stopUpkeep = eachMinute(
    [
      lookAtDisk,
      () => lives.sign(now()),
      () => credentials.saveUse(),
      () => watcher.report(),
      () => watcher.look(),
      () => remembered.prune(),
      () => pruner.prune(),
      () => triggers.prune(now()),
      () => eventStore.prune(now()),
      () => triggers.drafts.prune(now()),
      () => seen.prune(now()),
      () => looks.prune(),
    ],
    log,
  );
  checkpoints.start((error) => log.warn({ err: error }, "the database's log could not be moved"));
  const lookSoon = (): void => void watcher.look().catch(() => undefined);
  usable.events.on("usable", lookSoon);
  events.ended.on("event", tally.event);
  events.ended.on("trouble", lookSoon);
  return {
    url,
    async close() {
      ready = false;
      stopUpkeep();
      await damage.stop();
      await assembled.close();
      notifier.close();
      const servers = [server, ...(publicServer ? [publicServer] : [])];
      const closed = servers.map(closing);
      await runner.close(config.graceMillis);
      for (const one of servers) one.closeAllConnections();
      await Promise.all(closed);
      await Promise.all([credentials.saveUse(), drift.save(), lives.end(now())]);
      await transport.close();
      await reader.close();
      await writer.close();
      await checkpoints.close();
      await store.close();
      await lock.release();
      log.info("stopped");
    },
  };
}
