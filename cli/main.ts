import { ProblemError, Unreachable } from "@copper-kettle/contract";
import { CommanderError } from "commander";
import { errorColors } from "./colors.js";
import { Exit, exitCodes } from "./context.js";
import { say } from "./output.js";
import { buildProgram } from "./program.js";
import { config } from "zod";

/** The exit code of whatever ended a command, and the sentence that goes with it. */
function outcome(error: unknown): { code: number; message: string } {
  if (error instanceof Exit) return { code: error.code, message: error.message };
  if (error instanceof CommanderError)
    return { code: error.exitCode === 0 ? 0 : exitCodes.wrongUse, message: "" };
  if (error instanceof Unreachable)
    return { code: exitCodes.unreachable, message: `${error.message} Start one with: ckettle serve` };
  if (error instanceof ProblemError) {
    const { status, title, detail, errors } = error.problem;
    const untold = errors?.filter((item) => !detail?.includes(item.message)) ?? [];
    const fields = untold.map((item) => `\n  ${item.field}: ${item.message}`).join("");
    const code = status === 401 || status === 403 ? exitCodes.notAllowed : exitCodes.wrongUse;
    return { code, message: `${title}: ${detail ?? ""}${fields}` };
  }
  return { code: exitCodes.wrongUse, message: (error as Error).message };
}

// Whoever reads may have enough, as `head` has.
process.stdout.on("error", (error: NodeJS.ErrnoException) => {
  if (error.code !== "EPIPE") throw error;
  process.exit(process.exitCode ?? 0);
});
// Each schema is used once: making code of it would take longer.
config({ jitless: true });

async function main(): Promise<void> {
  try {
    const program = await buildProgram(process.argv.slice(2));
    await program.parseAsync(process.argv);
  } catch (error) {
    const { code, message } = outcome(error);
    if (message) say(code === 0 ? message : errorColors.red(message));
    process.exitCode = code;
  }
}

void main();
