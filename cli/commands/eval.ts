import { runsRoutes } from "@copper-kettle/contract";
import {
  briefJson,
  isObject,
  lineEnd,
  lineStart,
  parseJson,
  printJson,
  type ExpressionError,
  type Json,
  type Part,
  type ValueMap,
} from "@copper-kettle/core";
import type { Command } from "commander";
import { randomUUID } from "node:crypto";
import { existsSync, statSync } from "node:fs";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { show } from "../output.js";
import { table } from "../table.js";
import { readText } from "../read-text.js";

/** Evaluates an expression on data at hand, or on the values of a run; needs no service for a file. */
export function addEval(program: Command): void {
  program
    .command("eval")
    .description("evaluate an expression with a JSON file or with the values of a run")
    .argument("<expression>", "such as size(items); with --template a text with ${…} parts")
    .option(
      "-d, --data <file>",
      "a JSON file, or - for standard input; its keys are names, other JSON is `data`",
    )
    .option("--run <id>", "the values of a run, secrets masked")
    .option("--template", "the argument is a text with ${…} parts")
    .option("--parts", "show each part of the expression with what it gives; loops for their first item")
    .action(
      async (
        text: string,
        options: { data?: string; run?: string; template?: boolean; parts?: boolean },
        command: Command,
      ) => {
        const globals = globalsOf(command);
        // --data before the command is the service's folder; a file after it is what is evaluated on.
        const data = options.data ?? (globals.data && isFile(globals.data) ? globals.data : undefined);
        if (data === globals.data) delete globals.data;
        const scope = {
          ...(options.run
            ? await clientOf(globals).call(runsRoutes.runScope, { params: { id: options.run } })
            : {}),
          ...(data ? dataOf(data) : {}),
        } as ValueMap;
        const language = await import("../language.js");
        const surroundings = { now: () => Date.now(), uuid: () => randomUUID() };
        try {
          if (options.parts) {
            const unfold = options.template ? language.unfoldTemplate : language.unfold;
            const parts = unfold(text, scope, surroundings);
            return show(globals, parts as never, () => partsTable(parts));
          }
          const result = options.template
            ? language.renderTemplate(language.parseTemplate(text), scope, surroundings)
            : language.evaluateToJson(language.compile(text), scope, surroundings);
          show(globals, result ?? null, () =>
            typeof result === "string" ? result : printJson(result ?? null, 2),
          );
        } catch (error) {
          if (!(error instanceof language.ExpressionError)) throw error;
          throw new Exit(exitCodes.wrongUse, `${pointed(text, error)}\n${error.message}`);
        }
      },
    );
}

function partsTable(parts: readonly Part[]): string {
  return table(
    ["PART", "GIVES", ""],
    parts.map(({ text, depth, value, fault, first, unused }) => [
      `${"  ".repeat(depth)}${text}`,
      fault ?? (value === undefined ? "nothing" : briefJson(value, 60)),
      [unused ? "not needed here" : "", first ?? ""].filter(Boolean).join("; "),
    ]),
    "No parts.",
  );
}

function isFile(path: string): boolean {
  return path === "-" || (existsSync(path) && statSync(path).isFile());
}

function dataOf(file: string): ValueMap {
  let data: Json;
  try {
    data = parseJson(readText(file));
  } catch (error) {
    if (error instanceof Exit) throw error;
    throw new Exit(exitCodes.wrongUse, `${file} is not JSON: ${(error as Error).message}`);
  }
  return (isObject(data) ? data : { data }) as ValueMap;
}

/** The line at fault with a mark under the part that is. */
function pointed(text: string, { start, end }: ExpressionError): string {
  const from = lineStart(text, start);
  const line = text.slice(from, lineEnd(text, from));
  const length = Math.max(1, Math.min(end, from + line.length) - start);
  return `${line}\n${" ".repeat(start - from)}${"^".repeat(length)}`;
}
