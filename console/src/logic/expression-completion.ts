import { autocompletion, type CompletionContext, type CompletionResult } from "@codemirror/autocomplete";
import {
  complete,
  completeTemplate,
  expressionKeys,
  readWorkflow,
  type Catalogue,
  type Completion,
  type Completions,
  type ShapeScope,
} from "@copper-kettle/core";
import type { Extension } from "@codemirror/state";

/** What could stand at a caret: of an expression, or a word of the file. */
export type Completable = Completion | (Omit<Completion, "kind"> & { kind: "word"; label: string });

const types = {
  word: "keyword",
  name: "variable",
  field: "property",
  function: "function",
  macro: "keyword",
  constant: "constant",
};

interface Offers {
  from: number;
  options: readonly Completable[];
}

/**
 * Completion by what `offers` gives. An answer that comes when the focus has left already shows nothing. Nothing is a
 * list without options: after an answer of `null` nobody would ask again for what was typed while it was worked out.
 */
export function completion(offers: (context: CompletionContext) => Offers | Promise<Offers>): Extension {
  return autocompletion({
    icons: false,
    override: [
      async (context) => {
        const found = await offers(context);
        return context.view?.hasFocus ? shownAs(found, context) : { from: context.pos, options: [] };
      },
    ],
  });
}

/** What could stand at the caret, as the text editor offers it. */
function shownAs({ from, options }: Offers, { pos, explicit }: CompletionContext): CompletionResult {
  const isOfFile = options.some(({ kind }) => kind === "word");
  if (options.length === 0 || (!explicit && !isOfFile && options.length > 200))
    return { from: pos, options: [] };
  return {
    from,
    options: options.map((option, index) => {
      const { text, kind, detail, help } = option;
      return {
        label: kind === "word" ? option.label : text,
        apply: text,
        type: types[kind],
        detail,
        ...(help ? { info: help } : {}),
        // Words of the file come in their order.
        boost: kind === "word" ? -Math.min(index, 99) : kind === "field" || kind === "name" ? 1 : 0,
      };
    }),
    validFor: isOfFile ? /^[\w.-]*$/ : /^\w*$/,
  };
}

/** Completion in a text that is one expression. */
export const expressionCompletion = (scope: () => ShapeScope): Extension =>
  completion(({ state, pos }) => complete(state.doc.toString(), pos, scope()));

/** Fields of the file in which an expression stands bare. */
const bare = new RegExp(`(?:^|[{,]|- )\\s*(?:${expressionKeys.join("|")}):\\s+(["']?)`, "g");

/** Where an expression is in a line of a workflow file, and what could stand at the caret. */
export function completeInFile(line: string, column: number, scope: ShapeScope): Completions {
  const inTemplate = completeTemplate(line, column, scope);
  if (inTemplate.options.length > 0) return inTemplate;
  const before = [...line.slice(0, column).matchAll(bare)].at(-1);
  if (!before) return { from: column, to: column, options: [] };
  const start = before.index + before[0].length;
  const found = complete(line.slice(start), column - start, scope);
  return { ...found, from: found.from + start, to: found.to + start };
}

/** What is in scope at a line of a file, also while the line itself is unfinished and the file is not YAML. */
export function scopeAtLine(text: string, line: number, catalogue?: Catalogue): ShapeScope {
  const scope = readWorkflow(text, catalogue).scopeAt(line);
  if (scope.size > 0) return scope;
  const lines = text.split("\n");
  const step = /^(\s*)- /.exec(lines[line - 1] ?? "");
  lines[line - 1] = step ? `${step[1]}- { step: unfinished_, note: unfinished }` : "";
  return readWorkflow(lines.join("\n"), catalogue).scopeAt(line);
}
