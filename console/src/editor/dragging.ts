import { brokenText, type EditorLine, type Path, type StepPlace } from "@copper-kettle/core";
import { ref, type Ref } from "vue";
import { ask } from "./asking.js";
import type { WorkflowDocument } from "./document.js";

/** A step that is dragged over the outline. */
export interface Dragging {
  /** The line behind which it would be put. */
  target: Ref<string | undefined>;
  /** What would be read in vain if it were dropped there. */
  wouldBreak: Ref<string[]>;
  start: (line: EditorLine | undefined) => void;
  over: (event: DragEvent, line: EditorLine | undefined) => void;
  drop: (event: DragEvent, line: EditorLine | undefined) => void;
  end: () => void;
}

export function useDragging(
  document: WorkflowDocument,
  placeBehind: (line: EditorLine) => StepPlace,
  move: (from: Path, to: StepPlace) => void,
): Dragging {
  const target = ref<string>();
  const wouldBreak = ref<string[]>([]);
  let dragged: EditorLine | undefined;

  /** Lines that stand below the one that is dragged cannot take it in. */
  const takes = ({ what, id }: EditorLine, from: EditorLine): boolean =>
    what !== "file" && what !== "trigger" && !id.startsWith(from.id);

  async function lookAhead(from: EditorLine, line: EditorLine): Promise<void> {
    wouldBreak.value = [];
    const action = { do: "move", path: from.path, place: placeBehind(line) } as const;
    const found = await ask("broken", { text: document.text.value, action });
    if (target.value === line.id) wouldBreak.value = found.map(brokenText);
  }
  function end(): void {
    dragged = undefined;
    target.value = undefined;
    wouldBreak.value = [];
  }
  return {
    target,
    wouldBreak,
    end,
    start: (line) => (dragged = line),
    over(event, line) {
      if (!dragged || !line || !takes(line, dragged)) return void (target.value = undefined);
      event.preventDefault();
      if (target.value === line.id) return;
      target.value = line.id;
      void lookAhead(dragged, line);
    },
    drop(event, line) {
      const from = dragged;
      end();
      if (!from || !line || !takes(line, from)) return;
      event.preventDefault();
      move(from.path, placeBehind(line));
    },
  };
}
