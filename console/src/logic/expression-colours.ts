import { RangeSetBuilder, type Extension } from "@codemirror/state";
import {
  Decoration,
  ViewPlugin,
  type DecorationSet,
  type EditorView,
  type ViewUpdate,
} from "@codemirror/view";

const marks = {
  hole: Decoration.mark({ class: "cx-hole" }),
  text: Decoration.mark({ class: "cx-text" }),
  number: Decoration.mark({ class: "cx-number" }),
  root: Decoration.mark({ class: "cx-root" }),
  call: Decoration.mark({ class: "cx-call" }),
};

/** Parts of an expression by their look: texts, numbers, names that begin a path, functions. Linear in its length. */
const tokens =
  /("(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*')|\b(\d[\d.]*)\b|(?<![.\w])([A-Za-z_]\w*)(?=\s*[.[])|\b([A-Za-z_]\w*)(?=\s*\()/g;

const longest = 5_000;

function decorate(view: EditorView, kind: "expression" | "template"): DecorationSet {
  const text = view.state.doc.toString();
  // Longer texts are no expressions that people read, and looking through them would take its time.
  if (text.length > longest) return Decoration.none;
  const builder = new RangeSetBuilder<Decoration>();
  const paint = (code: string, offset: number): void => {
    for (const found of code.matchAll(tokens)) {
      const from = offset + found.index;
      const [, string, number, root] = found;
      const mark =
        string !== undefined
          ? marks.text
          : number !== undefined
            ? marks.number
            : root !== undefined
              ? marks.root
              : marks.call;
      builder.add(from, from + found[0].length, mark);
    }
  };
  if (kind === "expression") paint(text, 0);
  else
    for (const hole of text.matchAll(/\$\{[^}]*\}/g)) {
      builder.add(hole.index, hole.index + hole[0].length, marks.hole);
    }
  return builder.finish();
}

/** Colours an expression; in a text the `${…}` parts are dotted below. */
export function expressionColours(kind: "expression" | "template"): Extension {
  return ViewPlugin.fromClass(
    class {
      decorations: DecorationSet;
      constructor(view: EditorView) {
        this.decorations = decorate(view, kind);
      }
      update(update: ViewUpdate): void {
        if (update.docChanged) this.decorations = decorate(update.view, kind);
      }
    },
    { decorations: (plugin) => plugin.decorations },
  );
}
