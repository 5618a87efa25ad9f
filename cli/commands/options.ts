import { Option, type Command } from "commander";

/** Options that several commands have. */

/** Inputs of a run as options give them: from a file, and one by one. */
export interface InputOptions {
  input: string[];
  inputs?: string;
  example?: string;
}

/** Adds the options that give inputs. */
export function withInputs(command: Command): Command {
  return command
    .option("-i, --input <key=value>", "an input; repeat it for more", collect, [])
    .option("--inputs <file>", "inputs as a JSON file, or - for standard input")
    .option("--example <name>", "the inputs of an example of the file; -i changes some of them");
}

/** For an option that can be repeated. */
export function collect(value: string, before: string[]): string[] {
  return [...before, value];
}

/** What becomes of the schema in the document when a sample is saved. */
export const shapeOption = (): Option =>
  new Option(
    "--shape <how>",
    "the schema of the samples goes into the document: if it has none yet, or one from samples (open); always (replace); never (leave)",
  )
    .choices(["open", "replace", "leave"])
    .default("open");
