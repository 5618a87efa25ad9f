import { recordsRoutes, runsRoutes, type Run } from "@copper-kettle/contract";
import {
  parseJson,
  printForPeople,
  printJson,
  type Entry,
  type Json,
  type RecordedRequest,
} from "@copper-kettle/core";
import { Argument, type Command } from "commander";
import colors from "../colors.js";
import { clientOf, Exit, exitCodes, globalsOf, serviceUrl } from "../context.js";
import { entryLine } from "../entries.js";
import { followRun } from "../follow.js";
import { addAgain } from "./again.js";
import { shapeOption } from "./options.js";
import { counted, momentText, sayNext, show, stateText, timeText } from "../output.js";
import { table } from "../table.js";

const needsSomebody: ReadonlySet<string> = new Set(["unsure", "failed", "parked"]);
const decisions = ["happened", "again", "skip", "stop"] as const;

export function addRun(program: Command): void {
  const group = program
    .command("run")
    .description("runs: list, show, follow, stop, decide, save-sample, again, continue, compare");
  group.argument("[name]").action((name: string | undefined) => {
    if (name === undefined) group.help({ error: true });
    throw new Exit(
      exitCodes.wrongUse,
      `There is no "ckettle run ${name}". To start the workflow: ckettle start ${name}`,
    );
  });
  group
    .command("list")
    .description("list runs, newest first")
    .option("--workflow <name>")
    .option("--state <states>", "one or more states, separated by commas")
    .option("--text <text>", "in the id, the workflow, or the error")
    .option("--event <id>", "only those that this event of a trigger started")
    .option("--limit <number>", "how many", "20")
    .action(
      async (
        options: { workflow?: string; state?: string; text?: string; event?: string; limit: string },
        command: Command,
      ) => {
        const globals = globalsOf(command);
        const { runs, more } = await clientOf(globals).call(runsRoutes.listRuns, {
          query: { ...options, limit: Number(options.limit) },
        });
        show(globals, runs, () =>
          table(
            [
              "RUN",
              "WORKFLOW",
              "STATE",
              { times: "STARTED" },
              { numbers: "TOOK, S" },
              { numbers: "CALLS" },
              "",
            ],
            runs.map(rowOf),
            "No runs found.",
          ),
        );
        if (globals.json) return;
        if (more) sayNext(`More: ckettle run list --limit ${Number(options.limit) * 2}`);
        const first = runs.find(({ state }) => needsSomebody.has(state)) ?? runs[0];
        if (first) sayNext(`What happened in one: ckettle run show ${first.id}`);
      },
    );
  group
    .command("show")
    .description("show one run: its inputs, what happened, its response")
    .argument("<id>")
    .action(async (id: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const run = await client.call(runsRoutes.run, { params: { id } });
      const entries = await allEntries((after) =>
        client.call(runsRoutes.journal, { params: { id }, query: { after, limit: 1000 } }),
      );
      show(globals, { ...run, entries }, () => {
        const head = `${colors.bold(run.workflow)} ${run.version === 0 ? "draft" : `version ${run.version}`}  ${stateText(run.state)}  ${tookText(run)}  ${counted(run.calls, "call")}${run.problems > 0 ? `  ${colors.yellow(counted(run.problems, "problem"))}` : ""}`;
        const lines = entries.map((item) => entryLine(item as Entry)).filter((line) => line !== undefined);
        const response = run.response
          ? ["", `Response ${run.response.status}: ${printJson(run.response.body)}`]
          : [];
        const stops = run.stops.map(({ from, to }) => {
          // A service that was killed gave its last sign of life before the last that it did.
          const last = (entries as Entry[]).findLast(({ at }) => at < Date.parse(to))?.at ?? 0;
          const began = new Date(Math.max(last, Date.parse(from))).toISOString();
          return colors.yellow(`The service stopped ${timeText(began)}, and resumed ${momentText(to)}.`);
        });
        return [head, ...stops, "", ...lines, ...response, ...unsureLines(run, entries as Entry[])].join(
          "\n",
        );
      });
    });
  group
    .command("follow")
    .description("print what happens in a run until it ends or waits")
    .argument("<id>")
    .action(async (id: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      await followRun(
        clientOf(globals),
        id,
        serviceUrl(globals),
        (entry) => {
          const line = globals.json ? printJson(entry) : entryLine(entry);
          if (line) process.stdout.write(`${line}\n`);
        },
        { throughSleep: true },
      );
    });
  group
    .command("stop")
    .description("stop a run after its step")
    .argument("<id>")
    .option("--now", "also abort what is being sent")
    .action(async (id: string, options: { now?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const run = await clientOf(globals).call(runsRoutes.stopRun, {
        params: { id },
        body: { how: options.now ? "now" : "after-step" },
      });
      show(globals, run, () => `${id}: ${run.state === "running" ? "will stop" : run.state}`);
    });
  group
    .command("decide")
    .description("decide about a call that may or may not have been carried out")
    .argument("<id>")
    .addArgument(new Argument("<decision>", "happened, again, skip or stop").choices(decisions))
    .option("--step <path>", "the step; needed only if several are unsure")
    .option("--attempt <number>", "the attempt that you looked at; default: the one that is unsure now")
    .option(
      "--outcome <json>",
      'with happened: the response of the API, such as {"status":201,"body":{"id":"g-9"}}',
    )
    .action(
      async (
        id: string,
        decision: (typeof decisions)[number],
        options: { step?: string; attempt?: string; outcome?: string },
        command: Command,
      ) => {
        const globals = globalsOf(command);
        const outcome = options.outcome === undefined ? {} : { outcome: outcomeOf(options.outcome) };
        const path = options.step === undefined ? {} : { path: options.step };
        const client = clientOf(globals);
        const { unsure } = await client.call(runsRoutes.run, { params: { id } });
        const asked = unsure.find((item) => options.step === undefined || item.path === options.step);
        const attempt = Number(options.attempt ?? asked?.attempt ?? 1);
        const body = { decision, attempt, ...path, ...outcome };
        const run = await client.call(runsRoutes.decideRun, { params: { id }, body });
        show(globals, run, () => `${id}: decided ${decision}`);
      },
    );
  group
    .command("save-sample")
    .description("save the last response to a call of a run as a sample of its operation, secrets masked")
    .argument("<id>")
    .argument("<step>", "the step, as the journal names it: hut, or round[3]/post")
    .argument("<name>", "the name of the sample")
    .addOption(shapeOption())
    .action(
      async (
        run: string,
        path: string,
        name: string,
        options: { shape: "open" | "replace" | "leave" },
        command: Command,
      ) => {
        const client = clientOf(globalsOf(command));
        const { operation } = await client.call(recordsRoutes.record, {
          params: { id: run },
          query: { path },
        });
        if (operation === null)
          throw new Exit(exitCodes.wrongUse, `The step ${path} of ${run} has no response of an operation.`);
        const { keepSample } = await import("./keep-sample.js");
        await keepSample(client, operation, name, { call: { run, path } }, options.shape);
      },
    );
  addAgain(group);
}

function outcomeOf(text: string): Json {
  try {
    return parseJson(text);
  } catch (error) {
    throw new Exit(exitCodes.wrongUse, `--outcome is not JSON: ${(error as Error).message}`);
  }
}

type Page = { entries: { seq: number; entry: unknown }[]; more: boolean };

/** All entries of a run. */
export async function allEntries(read: (after: number) => Promise<Page>): Promise<unknown[]> {
  const entries: unknown[] = [];
  for (let after = -1; ;) {
    const page = await read(after);
    entries.push(...page.entries.map((item) => item.entry));
    after = page.entries.at(-1)?.seq ?? after;
    if (!page.more) return entries;
  }
}

function tookText(run: Run): string {
  if (!run.startedAt) return "";
  return printForPeople(tookMillis(run, run.startedAt));
}

function tookMillis(run: Run, startedAt: string): number {
  return (run.endedAt ? Date.parse(run.endedAt) : Date.now()) - Date.parse(startedAt);
}

function rowOf(run: Run): string[] {
  const why = run.error?.message ?? run.message ?? run.unsure[0]?.reason ?? run.waits[0]?.reason ?? "";
  const passed = run.problems > 0 ? counted(run.problems, "problem") : "";
  const next = run.wakeAt ? `until ${timeText(run.wakeAt)}` : why || passed;
  return [
    run.id,
    run.workflow,
    stateText(run.state),
    timeText(run.createdAt),
    run.startedAt ? (tookMillis(run, run.startedAt) / 1000).toFixed(3) : "",
    String(run.calls),
    next.length > 70 ? `${next.slice(0, 69)}…` : next,
  ];
}

/** What nobody knows the fate of, with what was sent, so that one can look for it on the API. */
function unsureLines(run: Run, entries: Entry[]): string[] {
  if (run.unsure.length === 0) return [];
  const steps = run.unsure.flatMap((item) => [
    `  ${item.path}: ${item.reason}`,
    ...sentLines(item.path, entries),
  ]);
  return [
    "",
    stateText("unsure"),
    ...steps,
    `Check in the API whether it was carried out, then: ckettle run decide ${run.id} happened|again|skip|stop`,
  ];
}

function sentLines(path: string, entries: Entry[]): string[] {
  const of = <T extends Entry["type"]>(type: T) =>
    entries.findLast(
      (entry): entry is Extract<Entry, { type: T }> =>
        entry.type === type && "path" in entry && entry.path === path,
    );
  const request = of("begun")?.data["request"] as unknown as RecordedRequest | undefined;
  if (!request) return [];
  const added = (of("unsure")?.authorization ?? []).map(({ name, value }) => [name, value]);
  const headers = [...request.headers, ...added].map(([name, value]) => `${name}: ${value}`);
  const body = typeof request.body === "string" ? [request.body] : request.body ? ["(a body in pieces)"] : [];
  return [`${request.method} ${request.url}`, ...headers, ...body].map((line) => `    ${colors.dim(line)}`);
}
