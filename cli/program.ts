import { Command } from "commander";

type Add = (program: Command) => void;

/** The commands in the order of their help, and where each is; a command loads what it needs, and nothing else. */
const parts: [names: string[], load: () => Promise<Add>][] = [
  [["serve"], async () => (await import("./commands/serve.js")).addServe],
  [["demo"], async () => (await import("./commands/demo.js")).addDemo],
  [["check", "schema", "workflow"], async () => (await import("./commands/workflow.js")).addWorkflow],
  [["start"], async () => (await import("./commands/start.js")).addStart],
  [["test", "rehearse"], async () => (await import("./commands/test.js")).addTest],
  [["run"], async () => (await import("./commands/run.js")).addRun],
  [["remembered"], async () => (await import("./commands/remembered.js")).addRemembered],
  [["locks"], async () => (await import("./commands/locks.js")).addLocks],
  [["rate-limits"], async () => (await import("./commands/rate-limits.js")).addRateLimits],
  [["pause", "resume"], async () => (await import("./commands/pause.js")).addPause],
  [["backup", "restore"], async () => (await import("./commands/backup.js")).addBackup],
  [["retention"], async () => (await import("./commands/retention.js")).addRetention],
  [["erase"], async () => (await import("./commands/erase.js")).addErase],
  [["network"], async () => (await import("./commands/network.js")).addNetwork],
  [["notifications"], async () => (await import("./commands/notifications.js")).addNotifications],
  [["api"], async () => (await import("./commands/api.js")).addApi],
  [["trigger"], async () => (await import("./commands/trigger.js")).addTrigger],
  [["try"], async () => (await import("./commands/try.js")).addTry],
  [["eval"], async () => (await import("./commands/eval.js")).addEval],
  [["credential"], async () => (await import("./commands/credential.js")).addCredential],
  [["token"], async () => (await import("./commands/token.js")).addToken],
  [["activity"], async () => (await import("./commands/activity.js")).addActivity],
  [["constant"], async () => (await import("./commands/constant.js")).addConstant],
  [["key"], async () => (await import("./commands/key.js")).addKey],
  [["status"], async () => (await import("./commands/status.js")).addStatus],
];

/** Options of the whole program that take a value, so that the value is not taken for a command. */
const withValue = new Set(["--url", "--token", "--data"]);

/** The first word of a command line that is no option. */
function commandIn(line: readonly string[]): string | undefined {
  for (let at = 0; at < line.length; at++) {
    const word = line[at] as string;
    if (withValue.has(word)) at++;
    else if (!word.startsWith("-")) return word;
  }
  return undefined;
}

/**
 * The command line of `ckettle`.
 * @param line what follows the program's name: only the command in it is loaded; all where it names none
 */
export async function buildProgram(line: readonly string[] = []): Promise<Command> {
  const program = new Command("ckettle")
    .description("Copper Kettle: chains authenticated HTTP API calls into workflows")
    .version("0.1.0")
    .option("--json", "print JSON")
    .option("--url <url>", "the service's address (COPPER_KETTLE_URL)")
    .option("--token <token>", "an access token (COPPER_KETTLE_TOKEN)")
    .option("--data <folder>", "the service's data folder (COPPER_KETTLE_DATA)")
    .addHelpText(
      "after",
      "\nExit codes: 0 done, 1 the run failed, 2 wrong use, 3 service unreachable, 4 not allowed",
    )
    .showSuggestionAfterError()
    .exitOverride();
  const wanted = commandIn(line);
  const one = parts.find(([names]) => wanted !== undefined && names.includes(wanted));
  for (const [, load] of one ? [one] : parts) (await load())(program);
  const override = (command: Command): void =>
    command.commands.forEach((inner) => override(inner.exitOverride().showSuggestionAfterError()));
  override(program);
  return program;
}
