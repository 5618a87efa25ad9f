import { valueAt, type Path } from "../values/paths.js";
import { nearest } from "../values/nearest.js";
import { valueOfText } from "../workflows/edit.js";
import { withinStep } from "../workflows/fields.js";
import { readWorkflow } from "../workflows/read.js";

/** A step that reads another which is not known where it stands, and what it could read in its place. */
export interface BrokenRead {
  reader: string;
  /** The place of the step that reads. */
  path: Path;
  reads: string;
  /** The likeliest first. */
  instead: string[];
}

export const brokenText = ({ reader, reads }: BrokenRead): string =>
  `The step ${reader} reads ${reads}, which is not known there.`;

/** So many steps are proposed for one that is not known. */
const mostProposed = 5;

/** What steps read in vain after an edit, and did not before it. Nothing of a text that cannot be read. */
export function brokenReads(before: string, after: string): BrokenRead[] {
  const now = readInVain(after);
  if (now.length === 0) return [];
  const keyOf = ({ reader, reads }: BrokenRead) => `${reader} ${reads}`;
  const old = new Set(readInVain(before).map(keyOf));
  return now.filter((one) => !old.has(keyOf(one)));
}

function readInVain(text: string): BrokenRead[] {
  const { unknownReads } = readWorkflow(text);
  if (unknownReads.length === 0) return [];
  const value = valueOfText(text);
  const found = new Map<string, BrokenRead>();
  for (const { path, name, known } of unknownReads) {
    const within = withinStep(path);
    if (!within) continue;
    const step = path.slice(0, path.length - within.length);
    const reader = String(valueAt(value, [...step, "step"]));
    found.set(`${reader} ${name}`, { reader, path: step, reads: name, instead: proposed(name, known) });
  }
  return [...found.values()];
}

/** The name that is most alike, then the steps that come last before the reading one. */
function proposed(name: string, known: readonly string[]): string[] {
  const alike = nearest(name, known);
  const last = [...known].reverse();
  return [...new Set([...(alike ? [alike] : []), ...last])].slice(0, mostProposed);
}
