import type { OutlineStep } from "@copper-kettle/contract";

/** Whether a step stands inside a loop; its outline is in the order of the file. */
export function isInLoop(outline: readonly OutlineStep[], name: string): boolean {
  const place = outline.findIndex((step) => step.name === name);
  let depth = outline[place]?.depth ?? 0;
  for (let at = place - 1; at >= 0 && depth > 0; at--) {
    const before = outline[at] as OutlineStep;
    if (before.depth >= depth) continue;
    if (before.kind === "each") return true;
    depth = before.depth;
  }
  return false;
}
