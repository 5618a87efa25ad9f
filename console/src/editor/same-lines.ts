import type { EditorLine } from "@copper-kettle/core";

/**
 * The lines of a text, of which those that are as they were before are the same objects: what shows them is drawn again only
 * where something changed.
 */
export function sameLines(
  before: readonly EditorLine[] | undefined,
  now: EditorLine[] | undefined,
): EditorLine[] | undefined {
  if (!before || !now) return now;
  return now.map((line, index) => {
    const old = before[index];
    return old && isSame(old, line) ? old : line;
  });
}

// The path says what the id says.
const fields = ["id", "line", "what", "kind", "name", "title", "summary", "depth"] as const;
const isSame = (a: EditorLine, b: EditorLine): boolean => fields.every((field) => a[field] === b[field]);
