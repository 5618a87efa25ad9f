import {
  ProblemError,
  grantsRoutes,
  versionsRoutes,
  workflowsRoutes,
  type BodyOf,
  type Grant,
  type WorkflowDetail,
  type WorkflowSummary,
} from "@copper-kettle/contract";
import { writeFileSync } from "node:fs";
import { printProblem, type Problem } from "@copper-kettle/core";
import type { Command } from "commander";
import colors from "../colors.js";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { addDescribe } from "./describe.js";
import { addWorkflowEdits } from "./workflow-edit.js";
import { say, show, stateText, timeText } from "../output.js";
import { table } from "../table.js";
import { readText } from "../read-text.js";

const painted = { error: colors.red, warning: colors.yellow, advice: colors.dim };

function problemLines(problems: Problem[], file: string): string {
  return problems.map((problem) => printProblem(problem, file, (word) => painted[word](word))).join("\n");
}

/** check and schema, which need no service; and the group `workflow`. */
export function addWorkflow(program: Command): void {
  program
    .command("check")
    .description("check a workflow file without a service; exit code 2 when it has errors")
    .argument("<file>", "the file, or - for standard input")
    .action(async (file: string, _options: unknown, command: Command) => {
      const { readWorkflow } = await import("../language.js");
      const { problems } = readWorkflow(readText(file));
      const errors = problems.filter((problem) => problem.severity === "error").length;
      show(
        globalsOf(command),
        { file, errors, problems },
        () => problemLines(problems, file) || (process.stdout.isTTY ? colors.green("✓ no problems") : ""),
      );
      if (errors > 0) throw new Exit(exitCodes.wrongUse);
    });
  program
    .command("schema")
    .description("print the JSON Schema of the workflow file, for editors")
    .action(async () => {
      const { workflowJsonSchema } = await import("../language.js");
      process.stdout.write(`${JSON.stringify(workflowJsonSchema(), undefined, 2)}\n`);
    });

  const group = program
    .command("workflow")
    .description(
      "workflows: list, show, push, pull, publish, versions, diff, roll-back, grants, describe, remove; and edits of their files",
    );
  group
    .command("list")
    .description("list the workflows")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { workflows } = await clientOf(globals).call(workflowsRoutes.listWorkflows);
      show(globals, workflows, () =>
        table(
          ["NAME", { numbers: "VERSION" }, "STARTED BY", { times: "LAST RUN" }, "TITLE"],
          workflows.map(rowOf),
          "No workflows yet. Push one with: ckettle workflow push FILE",
        ),
      );
    });
  group
    .command("show")
    .description("show one workflow: its state, problems and outline")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const workflow = await clientOf(globals).call(workflowsRoutes.workflow, { params: { name } });
      show(globals, workflow, () => {
        const steps = workflow.outline.map((step) => [
          String(step.line),
          `${"  ".repeat(step.depth)}${step.name}`,
          step.kind,
          step.title ?? step.calls ?? "",
        ]);
        const problems = problemLines(workflow.problemList, name);
        return [
          colors.bold(workflow.title ?? workflow.name),
          `${workflow.name}, ${versionText(workflow)}; started by ${workflow.triggers.join(", ") || "nothing yet"}`,
          "",
          table([{ numbers: "LINE" }, "STEP", "KIND", ""], steps, "It has no steps."),
          ...(problems ? ["", problems] : []),
          ...notesOf(workflow),
        ].join("\n");
      });
    });
  group
    .command("push")
    .description("save a file as the draft of its workflow")
    .argument("<file>", "the file, or - for standard input")
    .option("--publish", "also publish it")
    .option(
      "--base <revision>",
      "the revision that it was made from, as pull prints it; refused if there is a newer one",
    )
    .action(async (file: string, options: { publish?: boolean; base?: string }, command: Command) => {
      const globals = globalsOf(command);
      const text = readText(file);
      const { readWorkflow } = await import("../language.js");
      const { partial, problems } = readWorkflow(text);
      if (!partial?.name) throw new Exit(exitCodes.wrongUse, problemLines(problems, file));
      const client = clientOf(globals);
      let workflow = await client.call(workflowsRoutes.pushWorkflow, {
        params: { name: partial.name },
        body: { text, ...(options.base === undefined ? {} : { base: Number(options.base) }) },
      });
      if (workflow.problemList.length > 0) say(problemLines(workflow.problemList, file));
      if (options.publish) {
        const published = await client.call(workflowsRoutes.publishWorkflow, {
          params: { name: partial.name },
        });
        for (const note of published.notes) say(note);
        workflow = published;
      }
      show(globals, workflow, () => `${workflow.name}: ${versionText(workflow)}`);
    });
  group
    .command("pull")
    .description("write a workflow's file to standard output, or to a file")
    .argument("<name>")
    .option("-o, --output <file>")
    .option("--published <number>", "a published version; without it the draft")
    .action(async (name: string, options: { output?: string; published?: string }, command: Command) => {
      const query = options.published === undefined ? {} : { version: Number(options.published) };
      const { text, revision } = await clientOf(globalsOf(command)).call(workflowsRoutes.workflow, {
        params: { name },
        query,
      });
      if (options.output) writeFileSync(options.output, text);
      else process.stdout.write(text);
      if (options.published === undefined)
        say(`The draft is at revision ${revision}: push a change of it with --base ${revision}.`);
    });
  group
    .command("publish")
    .description("publish the draft: it becomes the version that runs")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      try {
        const workflow = await clientOf(globals).call(workflowsRoutes.publishWorkflow, { params: { name } });
        const warnings = workflow.problemList.filter(({ severity }) => severity === "warning");
        if (warnings.length > 0) say(problemLines(warnings, name));
        for (const note of workflow.notes) say(note);
        show(globals, workflow, () => `${name}: ${versionText(workflow)}`);
      } catch (error) {
        if (error instanceof ProblemError && error.problem.problems)
          say(problemLines(error.problem.problems, name));
        throw error;
      }
    });
  group
    .command("versions")
    .description("list the published versions")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { versions } = await clientOf(globals).call(versionsRoutes.versions, { params: { name } });
      show(globals, versions, () =>
        table(
          [{ numbers: "VERSION" }, { times: "PUBLISHED" }, "BY", ""],
          versions.map((one) => [
            String(one.version),
            timeText(one.publishedAt),
            one.publishedBy,
            one.current ? "current" : "",
          ]),
          `${name} is not published yet.`,
        ),
      );
    });
  group
    .command("diff")
    .description("show what changed from one version to another, or to the draft")
    .argument("<name>")
    .argument("<from>", "a version")
    .argument("[to]", "a version; without it the draft")
    .action(
      async (name: string, from: string, to: string | undefined, _options: unknown, command: Command) => {
        const globals = globalsOf(command);
        const query = { from: Number(from), to: Number(to ?? 0) };
        const { diff } = await clientOf(globals).call(versionsRoutes.diffVersions, {
          params: { name },
          query,
        });
        show(globals, { diff }, () => (diff === "" ? "No differences." : colorDiff(diff)));
      },
    );
  group
    .command("roll-back")
    .description("publish an older version again")
    .argument("<name>")
    .argument("<version>")
    .action(async (name: string, version: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const workflow = await clientOf(globals).call(versionsRoutes.rollBack, {
        params: { name },
        body: { version: Number(version) },
      });
      show(globals, workflow, () => `${name}: ${versionText(workflow)}, with the text of version ${version}`);
    });
  group
    .command("grants")
    .description(
      "show what the published version may use and who gave it; or withdraw some of that (the owner)",
    )
    .argument("<name>")
    .option("--withdraw <kind:name>", "as in credential:stays-key; repeatable", gathered, [])
    .action(async (name: string, options: { withdraw: string[] }, command: Command) => {
      const globals = globalsOf(command);
      const client = clientOf(globals);
      for (const text of options.withdraw)
        await client.call(grantsRoutes.withdrawGrant, { params: { name }, body: grantOf(text) });
      const answer = await client.call(grantsRoutes.listGrants, { params: { name } });
      const rows = answer.grants.map((one) => [
        one.kind,
        one.name,
        one.givenBy,
        timeText(one.givenAt),
        one.withdrawnBy === null ? "" : `by ${one.withdrawnBy}, ${timeText(one.withdrawnAt)}`,
      ]);
      show(globals, answer, () =>
        table(
          ["KIND", "NAME", "GIVEN BY", { times: "AT" }, "WITHDRAWN"],
          rows,
          nothingGranted(answer.version),
        ),
      );
    });
  addDescribe(group);
  addWorkflowEdits(group);
  group
    .command("remove")
    .description("remove a workflow; its runs remain")
    .argument("<name>")
    .action(async (name: string, _options: unknown, command: Command) => {
      await clientOf(globalsOf(command)).call(workflowsRoutes.removeWorkflow, { params: { name } });
      say(`Removed ${name}.`);
    });
}

const gathered = (text: string, before: string[]): string[] => [...before, text];

const nothingGranted = (version: number | null): string =>
  version === null ? "Not published yet." : "Version " + version + " uses no credential, workflow or host.";

function grantOf(text: string): BodyOf<typeof grantsRoutes.withdrawGrant> {
  const [kind = "", ...name] = text.split(":");
  if (!["credential", "workflow", "host"].includes(kind) || name.length === 0)
    throw new Exit(
      exitCodes.wrongUse,
      `--withdraw is a kind and a name, as in credential:stays-key, workflow:greet-guest or host:api.example; this is "${text}".`,
    );
  return { kind: kind as Grant["kind"], name: name.join(":") };
}

/** What is missing before a run needs it, and what has changed since the workflow was published. */
function notesOf({ scopes, changedOperations }: WorkflowDetail): string[] {
  const missing = scopes
    .filter((one) => one.missing.length > 0)
    .map(({ step, operation, credential, missing: without, known }) => {
      const what = known === "token" ? "which the token of" : "which";
      const verb = known === "token" ? "has not" : "does not ask for";
      return `${step}: ${operation} wants the scope ${without.join(", ")}, ${what} ${credential} ${verb}`;
    });
  const changed = changedOperations.map(({ operation, what, details }) =>
    `${operation} was ${what} since this was published. ${details.join("; ")}`.trim(),
  );
  const lines = [...missing, ...changed].map((line) => colors.yellow(`! ${line}`));
  return lines.length > 0 ? ["", ...lines] : [];
}

function colorDiff(diff: string): string {
  const paint = (line: string): string =>
    /^\+(?!\+\+)/.test(line) ? colors.green(line) : /^-(?!--)/.test(line) ? colors.red(line) : line;
  return diff
    .split("\n")
    .filter((line) => !/^=+$/.test(line))
    .map(paint)
    .join("\n");
}

function versionText(workflow: WorkflowSummary): string {
  const version = workflow.published === null ? "not published" : `version ${workflow.published}`;
  return workflow.draft && workflow.published !== null ? `${version}, with a newer draft` : version;
}

function rowOf(workflow: WorkflowSummary): string[] {
  const last = workflow.recent.at(-1);
  const version =
    workflow.published === null ? "draft" : `${workflow.published}${workflow.draft ? " + draft" : ""}`;
  return [
    workflow.name,
    version,
    workflow.triggers.join(", "),
    last ? `${stateText(last.state)} ${timeText(last.createdAt)}` : "",
    workflow.title ?? "",
  ];
}
