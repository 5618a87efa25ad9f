import { watch } from "vue";
import { useRoute } from "vue-router";
import type { WorkflowDocument } from "./document.js";
import type { RunValues } from "./values.js";

/** Who comes from the page of a run finds its values chosen, and the step that they looked at: `?run=…&step=…`. */
export function useArrival(
  document: WorkflowDocument,
  values: RunValues,
  choose: (id: string) => void,
): void {
  const { run, step } = useRoute().query;
  if (typeof run === "string") values.chosen.value = run;
  if (typeof step !== "string") return;
  const stop = watch(
    () => document.lines.value,
    (lines) => {
      if (lines.length === 0) return;
      const line = lines.find(({ what, name }) => what === "step" && name === step);
      if (line) choose(line.id);
      stop();
    },
  );
}
