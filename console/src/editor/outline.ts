import {
  insertion,
  type EditorLine,
  type Json,
  type JsonObject,
  type Path,
  type StepPlace,
} from "@copper-kettle/core";
import { computed, ref, type ComputedRef, type Ref } from "vue";
import type { ValueUse } from "../logic/value-use.js";
import { useDragging, type Dragging } from "./dragging.js";
import { behind, endOf } from "./places.js";
import type { EditorSession } from "./session.js";
import { valueUses } from "./uses.js";

/** What the lines of the outline share: what is open below which of them. */
export interface Outline {
  /** The lines whose values are shown, by their ids. */
  unfolded: Ref<ReadonlySet<string>>;
  toggle: (line: EditorLine) => void;
  /** Where a step is being added; `at` is the line that it comes behind, or `end`. */
  adding: Ref<{ place: StepPlace; at: string } | undefined>;
  beginAdding: (line?: EditorLine) => void;
  /** The line of which it is asked when tests pause before it. */
  breaking: Ref<string | undefined>;
  dragging: Dragging;
  /** All values, with the items of the loops around the chosen line. */
  values: ComputedRef<JsonObject>;
  /** A picked value goes into the field that had the focus last, in the form that it wants; without one to the clipboard. */
  pick: (code: string, isNull: boolean) => void;
  uses: (path: Path, value: Json) => ValueUse[];
}

export function useOutline(
  { document, scope, loops, caret, choose }: EditorSession,
  move: (from: Path, to: StepPlace) => void,
): Outline {
  const unfolded = ref<ReadonlySet<string>>(new Set());
  const adding = ref<{ place: StepPlace; at: string }>();
  return {
    unfolded,
    toggle(line) {
      const next = new Set(unfolded.value);
      if (!next.delete(line.id)) next.add(line.id);
      unfolded.value = next;
    },
    adding,
    beginAdding(line) {
      adding.value = line
        ? { place: behind(document, line), at: line.id }
        : { place: endOf(document), at: "end" };
    },
    breaking: ref<string>(),
    dragging: useDragging(document, (line) => behind(document, line), move),
    values: computed(() => ({ ...scope.values.value, ...loops.locals.value })),
    pick(code, isNull) {
      if (caret.value) caret.value.insert(insertion(code, caret.value.kind, isNull));
      else void navigator.clipboard.writeText(code).catch(() => undefined);
    },
    uses: valueUses(document, choose),
  };
}
