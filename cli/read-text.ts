import { readFileSync } from "node:fs";
import { Exit, exitCodes } from "./context.js";

/**
 * The text of a file, or of standard input for "-".
 * @throws Exit
 */
export function readText(file: string): string {
  try {
    return readFileSync(file === "-" ? 0 : file, "utf8");
  } catch (error) {
    throw new Exit(
      exitCodes.wrongUse,
      `${file} cannot be read: ${(error as NodeJS.ErrnoException).code ?? String(error)}`,
    );
  }
}
