import { createColors } from "picocolors";

/** Colours only for people: in a terminal, or when FORCE_COLOR says so; never in a pipe, also not under CI. */
function coloursFor(stream: { isTTY?: boolean }): ReturnType<typeof createColors> {
  const { NO_COLOR, FORCE_COLOR } = process.env;
  return createColors(!NO_COLOR && (Boolean(FORCE_COLOR) || Boolean(stream.isTTY)));
}

const colors = coloursFor(process.stdout);
export const errorColors = coloursFor(process.stderr);
export default colors;
