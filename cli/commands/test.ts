import { routes, type Client, type RunDetail, type RunOptionsInput } from "@copper-kettle/contract";
import {
  heldOutcomes,
  own,
  printJson,
  type Entry,
  type Json,
  type RecordedRequest,
} from "@copper-kettle/core";
import type { Command } from "commander";
import colors from "../colors.js";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { brief, say, show, stateText } from "../output.js";
import { allEntries } from "./run.js";
import { collect, finish, follow, fromFile, inputsOf, withInputs, type InputOptions } from "./start.js";

interface TestOptions extends InputOptions {
  step?: string;
  item?: string;
  to?: string;
  break: string[];
  fault: string[];
  held?: string;
  heldFrom?: string;
  published?: boolean;
}

/** test and rehearse: runs that depart from a plain one. */
export function addTest(program: Command): void {
  withInputs(
    program
      .command("test")
      .description("run a draft to try it: whole, one step alone, or up to a step; with faults, with stops")
      .argument("<workflow>"),
  )
    .option("--step <name>", "run only this step, with outcomes held for the others")
    .option("--item <number>", "with a step inside of loops: the item, from 0")
    .option("--held-from <run>", "hold the outcomes that this run gave")
    .option("--held <file>", "hold outcomes from a JSON file: { step: outcome }")
    .option("--to <name>", "end after this step")
    .option(
      "--break <path>",
      "stop before a step, such as made or round[3]/post; can be repeated",
      collect,
      [],
    )
    .option(
      "--fault <step=fault>",
      "answer so instead, such as post=503x2 or post=timeout; can be repeated",
      collect,
      [],
    )
    .option("--published", "run the published version")
    .action(async (name: string, options: TestOptions, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const run = await client.call(routes.startRun, {
        params: { name },
        body: {
          inputs: await inputsOf(client, name, options),
          draft: !options.published,
          options: optionsOf(options),
        },
      });
      const rested = await follow(client, globals, run.id);
      if (rested.waitsOn?.kind === "breakpoint") return atBreakpoint(rested);
      const wanted = options.step ?? options.to;
      if (wanted !== undefined && rested.state === "succeeded") {
        const outcome = await outcomeOf(client, run.id, wanted, Number(options.item ?? 0));
        return show(globals, outcome ?? null, () => (outcome === undefined ? "" : printJson(outcome, 2)));
      }
      finish(rested, () => globals);
    });
  withInputs(
    program
      .command("rehearse")
      .description("run with reading calls only; show what would have been sent")
      .argument("<workflow>"),
  )
    .option("--draft", "rehearse the draft instead of the published version")
    .action(async (name: string, options: InputOptions & { draft?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      const inputs = await inputsOf(client, name, options);
      const run = await client.call(routes.startRun, {
        params: { name },
        body: { inputs, draft: options.draft ?? false, options: { rehearsal: true } },
      });
      const rested = await follow(client, globals, run.id);
      const entries = await allEntries((after) =>
        client.call(routes.journal, { params: { id: run.id }, query: { after, limit: 1000 } }),
      );
      const held = heldBack(entries as Entry[]);
      show(globals, { run: rested, wouldSend: held }, () => heldLines(held, rested));
      if (rested.state !== "succeeded") finish(rested, () => ({}));
    });
}

function optionsOf(options: TestOptions): RunOptionsInput {
  return {
    ...(options.step
      ? { only: { step: options.step, ...(options.item ? { item: Number(options.item) } : {}) } }
      : {}),
    ...(options.to ? { to: options.to } : {}),
    ...(options.heldFrom ? { heldFrom: options.heldFrom } : {}),
    ...(options.held ? { held: fromFile(options.held) } : {}),
    ...(options.break.length > 0 ? { breakpoints: options.break } : {}),
    ...(options.fault.length > 0 ? { faults: options.fault.map(faultOf) } : {}),
  };
}

const failures = ["connect", "tls", "dns", "timeout", "cut"] as const;

/** `post=503x2`: the step, a status or a way to fail, and how often. */
function faultOf(text: string): NonNullable<RunOptionsInput["faults"]>[number] {
  const [, step = "", what = "", times = "1"] = /^(\w+)=(\d{3}|[a-z]+?)(?:x(\d+))?$/.exec(text) ?? [];
  const failure = failures.find((one) => one === what);
  if (/^\d{3}$/.test(what)) return { step, status: Number(what), times: Number(times) };
  if (failure) return { step, failure, times: Number(times) };
  throw new Exit(
    exitCodes.wrongUse,
    `A fault is step=status or step=${failures.join("|")}, with x and a number for how often, such as post=503x2; this is "${text}".`,
  );
}

function atBreakpoint(run: RunDetail): void {
  const path = run.waitsOn?.name ?? "";
  say(
    `${stateText("waiting")} before ${colors.bold(path)}. Look at the values with: ckettle eval steps --run ${run.id}`,
  );
  say(`Go on with: ckettle run continue ${run.id} [--set steps.x.body.y=value]`);
  process.stdout.write(`${run.id}\n`);
}

async function outcomeOf(client: Client, id: string, step: string, item: number): Promise<Json | undefined> {
  const entries = await allEntries((after) =>
    client.call(routes.journal, { params: { id }, query: { after, limit: 1000 } }),
  );
  return own(heldOutcomes(entries as Entry[], item), step);
}

interface HeldBack {
  path: string;
  method: string;
  url: string;
  body: Json | null;
}

/** The calls that a rehearsal held back, as they would have been sent. */
function heldBack(entries: Entry[]): HeldBack[] {
  const requests = new Map<string, RecordedRequest>();
  const found: HeldBack[] = [];
  for (const entry of entries) {
    if (entry.type === "begun" && entry.data["request"])
      requests.set(entry.path, entry.data["request"] as unknown as RecordedRequest);
    const request = "path" in entry ? requests.get(entry.path ?? "") : undefined;
    if (entry.type !== "attempt" || entry.pretended !== "rehearsal" || !request) continue;
    const { method, url, body } = request;
    found.push({ path: entry.path, method, url, body: (body as Json | undefined) ?? null });
  }
  return found;
}

function heldLines(held: HeldBack[], run: RunDetail): string {
  if (held.length === 0)
    return run.state === "succeeded" ? "Nothing would have been sent that does more than read." : "";
  const lines = held.map(
    ({ path, method, url, body }) =>
      `${colors.bold(path)}  ${method} ${url}${body === null ? "" : `  ${brief(body, 200)}`}`,
  );
  return [`${held.length} ${held.length === 1 ? "call" : "calls"} would have been sent:`, ...lines].join(
    "\n",
  );
}
