import { isObject, parseJson, type EditorLine, type Json, type JsonObject } from "@copper-kettle/core";
import { computed, shallowRef, watch, type ComputedRef, type Ref, type ShallowRef } from "vue";
import { ask } from "./asking.js";
import type { WorkflowDocument } from "./document.js";
import { mergedScope } from "./merged-scope.js";
import { renew } from "./same.js";
import { whenSettled } from "./settled.js";
import type { RunValues } from "./values.js";

/** What can be read at the chosen line, and the values that it has. */
export interface LineScope {
  /** `inputs`, `steps.guest` and so on. */
  names: ShallowRef<ReadonlySet<string>>;
  /** Values that no run gave: made from inputs, samples and the documents of APIs. */
  samples: ShallowRef<JsonObject>;
  /** All values: those of the chosen run, and samples where it has none. */
  values: ComputedRef<JsonObject>;
  /** The steps that have values. */
  known: ShallowRef<ReadonlySet<string>>;
  /** The values of a step, as `steps.<name>` reads them. */
  valueOf: (step: string) => Json | undefined;
  /** What will happen when the call of the line does not succeed at once, in sentences. */
  words: ShallowRef<readonly string[]>;
  /** Whether they are a sample. */
  isSample: (step: string) => boolean;
}

export function useLineScope(
  document: WorkflowDocument,
  line: Readonly<Ref<EditorLine | undefined>>,
  values: RunValues,
): LineScope {
  const names = shallowRef<ReadonlySet<string>>(new Set());
  const samples = shallowRef<JsonObject>({});
  const words = shallowRef<readonly string[]>([]);
  let samplesText = "{}";
  let asked = 0;
  whenSettled(
    document,
    line,
    () => [],
    async (at) => {
      const mine = ++asked;
      const found =
        at?.what === "step"
          ? await ask("scope", { text: document.text.value, line: at.line }).catch(() => undefined)
          : undefined;
      if (mine !== asked) return;
      renew(names, new Set(found?.names));
      renew(words, found?.words ?? []);
      if (!found || found.samples === samplesText) return;
      samplesText = found.samples;
      samples.value = parseJson(samplesText) as JsonObject;
    },
  );
  const stepsOf = (scope: JsonObject): JsonObject => {
    const steps = scope["steps"];
    return isObject(steps ?? null) ? (steps as JsonObject) : {};
  };
  const all = computed(() => mergedScope(samples.value, values.scope.value));
  const known = shallowRef<ReadonlySet<string>>(new Set());
  watch(all, (now) => renew(known, new Set(Object.keys(stepsOf(now)))), { immediate: true });
  return {
    names,
    samples,
    words,
    values: all,
    known,
    valueOf: (step) => stepsOf(all.value)[step],
    isSample: (step) => step in stepsOf(samples.value) && !(step in stepsOf(values.scope.value)),
  };
}
