import { readConfig } from "./config.js";
import { startService, type Service } from "./service.js";
import { FolderTaken } from "./store/folder-lock.js";

/** The service's entry: configured by the environment, stopped by SIGTERM or SIGINT. Exit code 2: it could not start. */
async function main(): Promise<void> {
  process.umask(0o077);
  // Whoever read the log may go away; the work goes on.
  for (const stream of [process.stdout, process.stderr]) stream.on("error", () => undefined);
  process.on("unhandledRejection", (error) =>
    process.stderr.write(
      `${JSON.stringify({ level: 50, msg: "a failure that nobody waited for", err: String(error) })}\n`,
    ),
  );
  let service: Service;
  try {
    service = await startService(readConfig(process.env));
  } catch (error) {
    const known = error instanceof FolderTaken || (error as NodeJS.ErrnoException).code === "EADDRINUSE";
    process.stderr.write(
      `${known || process.env["COPPER_KETTLE_LOG"] !== "debug" ? (error as Error).message : String((error as Error).stack)}\n`,
    );
    process.exit(2);
  }
  let stopping = false;
  const stop = (): void => {
    if (stopping) return;
    stopping = true;
    service.close().then(
      () => process.exit(0),
      (error: unknown) => {
        process.stderr.write(`The stop failed: ${String(error)}\n`);
        process.exit(1);
      },
    );
  };
  process.on("SIGTERM", stop);
  process.on("SIGINT", stop);
}

await main();
