import { workflowsRoutes } from "@copper-kettle/contract";
import { diffLines } from "diff";
import { ref, watch, type Ref } from "vue";
import { api, sentence } from "../api.js";
import type { WorkflowDocument } from "./document.js";

/** The version in force, beside the draft. */
export interface InForce {
  /** Its text; empty where nothing is published, undefined until it is there. */
  text: Ref<string | undefined>;
  /** In how many places the draft differs from it; undefined where that is not known. */
  changes: Ref<number | undefined>;
  fault: Ref<string>;
}

/** The longest time that differences are counted, in milliseconds. */
const longest = 200;

/** Runs of lines that were taken away, put in, or both. */
function placesOf(before: string, after: string): number | undefined {
  const parts = diffLines(before, after, { timeout: longest });
  return parts?.filter((part, index) => {
    const last = parts[index - 1];
    return (part.added || part.removed) && !(last?.added || last?.removed);
  }).length;
}

export function useInForce(document: WorkflowDocument): InForce {
  const text = ref<string>();
  const changes = ref<number>();
  const fault = ref("");
  const params = { name: document.name };
  watch(
    () => document.workflow.value?.published,
    async (version) => {
      if (version === undefined) return;
      fault.value = "";
      text.value = undefined;
      if (version === null) return void (text.value = "");
      try {
        const found = await api.call(workflowsRoutes.workflow, { params, query: { version } });
        if (document.workflow.value?.published === version) text.value = found.text;
      } catch (error) {
        fault.value = sentence(error);
      }
    },
    { immediate: true },
  );
  // Not with every key: as often as the text is read.
  watch([text, document.problems], () => {
    changes.value = text.value === undefined ? undefined : placesOf(text.value, document.text.value);
  });
  return { text, changes, fault };
}
