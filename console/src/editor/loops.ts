import { parseJson, type EditorLine, type JsonObject } from "@copper-kettle/core";
import { computed, shallowRef, watch, type ComputedRef, type Ref, type ShallowRef } from "vue";
import { ask } from "./asking.js";
import type { WorkflowDocument } from "./document.js";
import type { LoopAround } from "./messages.js";
import { renew } from "./same.js";
import type { LineScope } from "./scope.js";
import type { RunValues } from "./values.js";

/** The loops around the chosen line: which item of each is looked at, and what it gives to the expressions in it. */
export interface Loops {
  around: ComputedRef<LoopAround[]>;
  /** The items by the names that expressions give them. */
  locals: ShallowRef<JsonObject>;
  /** How many items each loop has; undefined where no run has shown its list. */
  sizes: ShallowRef<(number | undefined)[]>;
}

export function useLoops(
  document: WorkflowDocument,
  line: Readonly<Ref<EditorLine | undefined>>,
  values: RunValues,
  scope: LineScope,
): Loops {
  const around = computed<LoopAround[]>(() => {
    const at = line.value;
    if (at?.what !== "step") return [];
    return document.lines.value
      .filter(({ kind, id, what }) => what === "step" && kind === "each" && `${at.id}.`.startsWith(`${id}.`))
      .map(({ name, path }) => ({
        name,
        each: String(document.valueAt([...path, "each"]) ?? ""),
        as: String(document.valueAt([...path, "as"]) ?? "item"),
        item: values.items.get(name) ?? 0,
      }));
  });
  const locals = shallowRef<JsonObject>({});
  const sizes = shallowRef<(number | undefined)[]>([]);
  let localsText = "{}";
  let asked = 0;
  watch(
    // By what they say: the lines are other objects after each edit.
    [() => JSON.stringify(around.value), scope.values],
    async () => {
      const mine = ++asked;
      const found = await ask("loops", { loops: around.value }).catch(() => undefined);
      if (mine !== asked || !found) return;
      renew(sizes, found.sizes);
      if (found.locals === localsText) return;
      localsText = found.locals;
      locals.value = parseJson(localsText) as JsonObject;
    },
    { immediate: true },
  );
  return { around, locals, sizes };
}
