import type { CatalogueView } from "@copper-kettle/contract";
import type { EditorLine } from "@copper-kettle/core";
import { inject, provide, reactive, type InjectionKey, type Ref, type ShallowRef } from "vue";
import type { Breakpoints } from "./breakpoints.js";
import type { WorkflowDocument } from "./document.js";
import type { useMarks } from "./marks.js";
import type { Pause } from "./pause.js";
import type { LineScope } from "./scope.js";
import type { Testing } from "./testing.js";
import type { InForce } from "./in-force.js";
import type { Loops } from "./loops.js";
import type { RunValues } from "./values.js";

/** A field into which a picked value goes: the one that had the focus last. */
export interface Caret {
  kind: "expression" | "template" | "value";
  insert: (text: string) => void;
}

/** What the parts of the editor share. */
export interface EditorSession {
  document: WorkflowDocument;
  values: RunValues;
  testing: Testing;
  loops: Loops;
  breakpoints: Breakpoints;
  pause: Pause;
  inForce: InForce;
  catalogue: ShallowRef<CatalogueView>;
  /** The line of the outline that the exchange shows. */
  chosen: Ref<string>;
  line: Readonly<Ref<EditorLine | undefined>>;
  /** What can be read at the chosen line, and its values. */
  scope: LineScope;
  /** The lines in which something is wrong. */
  marks: ReturnType<typeof useMarks>;
  caret: ShallowRef<Caret | undefined>;
  /** Whether expressions are shown as what they become with the chosen run. */
  showsValues: Ref<boolean>;
  choose: (id: string) => void;
  /** The fields that show by themselves what is wrong with them, each as in `Problem`. */
  fields: ShownFields;
}
export interface ShownFields {
  shows: (field: string) => void;
  hides: (field: string) => void;
  has: (field: string) => boolean;
}

export function useShownFields(): ShownFields {
  // Counted: where a field changes its place, the next one is there before this one has gone.
  const counts = reactive(new Map<string, number>());
  const change = (field: string, by: number) => counts.set(field, (counts.get(field) ?? 0) + by);
  return {
    shows: (field) => change(field, 1),
    hides: (field) => change(field, -1),
    has: (field) => (counts.get(field) ?? 0) > 0,
  };
}

const key: InjectionKey<EditorSession> = Symbol("editor");

export const provideSession = (session: EditorSession): void => provide(key, session);

export function useSession(): EditorSession {
  const session = inject(key);
  if (!session) throw new Error("This part stands in no editor.");
  return session;
}
