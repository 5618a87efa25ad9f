import { routes } from "@copper-kettle/contract";
import { printForPeople } from "@copper-kettle/core";
import type { Command } from "commander";
import { clientOf, globalsOf } from "../context.js";
import { brief, say, show, stateText, table, timeText } from "../output.js";

/** What runs share: kept values, locks, paces; and the pause of all. */
export function addShared(program: Command): void {
  const kept = program
    .command("kept")
    .description("values that workflows keep from run to run: list, forget");
  kept
    .command("list")
    .description("the kept values of a workflow")
    .argument("<workflow>")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const found = await clientOf(globals).call(routes.kept, { params: { name } });
      show(globals, found.kept, () =>
        table(
          ["KEY", "VALUES", "CHANGED", "EXPIRES"],
          found.kept.map(({ key, values, changedAt, expires }) => [
            key,
            brief(values, 80),
            timeText(changedAt),
            timeText(expires),
          ]),
          `${name} keeps nothing.`,
        ),
      );
    });
  kept
    .command("forget")
    .description("forget one key")
    .argument("<workflow>")
    .argument("<key>")
    .action(async (name: string, key: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(routes.forgetKept, { params: { name }, query: { key } });
      say(`${key} is forgotten.`);
    });
  program
    .command("locks")
    .description("names that steps hold, and the runs that wait for them")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { locks } = await clientOf(globals).call(routes.locks);
      show(globals, locks, () =>
        table(
          ["LOCK", "HELD BY", "STEP", "STATE", "WAITING"],
          locks.map(({ name, run, path, state, waiting }) => [
            name,
            run,
            path,
            stateText(state),
            waiting.join(", "),
          ]),
          "Nothing is locked.",
        ),
      );
    });
  program
    .command("paces")
    .description("how fast calls go, by API and credential")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { paces } = await clientOf(globals).call(routes.paces);
      show(globals, paces, () =>
        table(
          ["API", "CREDENTIAL", "PACE", "UNDER WAY", "WAITING", "PAUSED UNTIL"],
          paces.map((pace) => [
            pace.api ?? pace.target,
            pace.credential ?? "",
            [
              pace.calls === null ? "" : `${pace.calls} in ${printForPeople(pace.per ?? 0)}`,
              pace.atOnce === null ? "" : `${pace.atOnce} at once`,
            ]
              .filter(Boolean)
              .join(", ") || "no limit known",
            String(pace.under),
            String(pace.waiting),
            timeText(pace.pausedUntil),
          ]),
          "Nothing was called yet.",
        ),
      );
    });
  const pause = (paused: boolean) => async (_options: unknown, command: Command) => {
    const globals = globalsOf(command);
    const now = await clientOf(globals).call(routes.pause, { body: { paused } });
    show(globals, now, () =>
      paused ? "All is paused: no run begins. Go on with: ckettle resume" : "Runs begin again.",
    );
  };
  program
    .command("pause")
    .description("begin no more runs; what is under way comes to its end or its next rest")
    .action(pause(true));
  program.command("resume").description("begin runs again after a pause").action(pause(false));
}
