import { indentService } from "@codemirror/language";

/**
 * How far the line below one is indented, in columns: under the key of a list's item, deeper under a key that has nothing
 * behind it yet, else as the line itself.
 */
export function indentBelow(line: string): number {
  const dashes = /^ *(?:- +)*(?=["'\w-]+ *:(?: |$))/.exec(line)?.[0].length;
  const indent = dashes ?? /^ */.exec(line)?.[0].length ?? 0;
  const opens = /(?::|[|>][+-]?\d?|[[{])\s*(?:#[^]*)?$/.test(line) && !/^ *#/.test(line);
  return opens ? indent + 2 : indent;
}

/** Enter indents by the line alone: what the language knows of the file may come later than the key. */
export const yamlIndent = indentService.of((context, pos) => {
  if (context.simulatedBreak !== pos) return undefined;
  const { from, text } = context.state.doc.lineAt(pos);
  return indentBelow(text.slice(0, pos - from));
});
