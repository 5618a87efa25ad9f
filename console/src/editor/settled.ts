import type { EditorLine } from "@copper-kettle/core";
import { watch, type Ref } from "vue";
import type { WorkflowDocument } from "./document.js";

/**
 * Does something at once, when another line is chosen, and when the check of an edit has come: not for each of the
 * things that an edit changes one after another.
 * @param more what else it depends on
 */
export function whenSettled(
  { problems, isFresh }: WorkflowDocument,
  line: Readonly<Ref<EditorLine | undefined>>,
  more: () => unknown[],
  work: (line: EditorLine | undefined) => Promise<void>,
): void {
  let chosen: string | undefined;
  watch(
    () => [line.value, problems.value, isFresh.value, ...more()],
    () => {
      const at = line.value;
      if (at?.id === chosen && !isFresh.value) return;
      chosen = at?.id;
      void work(at);
    },
    { immediate: true },
  );
}
