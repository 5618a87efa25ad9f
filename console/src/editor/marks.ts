import { shallowRef, watch, type ShallowRef } from "vue";
import type { WorkflowDocument } from "./document.js";
import { renew } from "./same.js";

/** The lines of the outline in which something is wrong, by their ids; advice is none. */
export function useMarks(document: WorkflowDocument): ShallowRef<ReadonlyMap<string, "error" | "warning">> {
  const marks = shallowRef<ReadonlyMap<string, "error" | "warning">>(new Map());
  watch([document.lines, document.problems], ([all, problems]) => {
    const found = new Map<string, "error" | "warning">();
    const lines = all.filter(({ what }) => what !== "branch");
    for (const { line, severity } of problems) {
      if (severity === "advice") continue;
      const at = lines.findLast((one) => one.line <= line);
      if (at && found.get(at.id) !== "error") found.set(at.id, severity);
    }
    renew(marks, found);
  });
  return marks;
}
