import { isMap, type Scalar } from "yaml";
import type { Json } from "../values/json.js";
import { printPath, valueAt, type Path } from "../values/paths.js";
import {
  addEdit,
  CannotEdit,
  fresh,
  indented,
  type ItemText,
  insertEdits,
  loosened,
  ownText,
  parsed,
  removeEdit,
  removeWithComments,
  replaceEdit,
  setEdits,
} from "./edit-places.js";
import { applied, behindDash, inFlow, nodesAt, pairOf, rangeOf, type TextEdit } from "./edit-text.js";
import {
  isSame,
  sameAs,
  shifted,
  startsWith,
  withFieldAfter,
  withItem,
  withKey,
  without,
  withValue,
} from "./edit-value.js";
import { Source } from "./source.js";

export { CannotEdit };

/**
 * Edits of a workflow file's text (YAML 1.2 or JSON). Each is the smallest change of the text that changes its value
 * as it says, and nothing else: comments, order, quoting and line breaks of all that is not touched stay byte for byte.
 * What an edit gives is read again before it is returned.
 */

/**
 * Sets a field. What it stands in is created if it is not there; a list is extended at its end only.
 * @throws CannotEdit
 */
export function setField(text: string, path: Path, value: Json): string {
  if (path.length === 0) throw new CannotEdit("The file as a whole cannot be set.");
  const made = changed(
    text,
    (root) => withValue(root, path, value),
    () => setEdits(text, path, value),
  );
  return changed(
    made,
    (root) => root,
    () => loosened(made, path),
  );
}

/**
 * Removes a field, or an item of a list.
 * @throws CannotEdit if it is not there
 */
export function removeField(text: string, path: Path): string {
  return changed(
    text,
    (root) => without(root, path),
    () => [removeEdit(text, path)],
  );
}

/**
 * Removes an item of a list with the comments right above it.
 * @throws CannotEdit if it is not there
 */
export function removeItem(text: string, path: Path): string {
  return changed(
    text,
    (root) => without(root, path),
    () => [removeWithComments(text, path)],
  );
}

/**
 * Puts another field in the place of one: its key and its value change, its place stays.
 * @throws CannotEdit if it is not there
 */
export function replaceField(text: string, path: Path, key: string, value: Json): string {
  return changed(
    text,
    (root) => withKey(root, path, key, value),
    () => {
      const [parent, node] = nodesAt(parsed(text), path)?.slice(-2) ?? [];
      if (!isMap(parent) || !node) throw new CannotEdit(`There is nothing at ${printPath(path)}.`);
      return [replaceEdit(text, parent, path.at(-1) as string, node, value, key)];
    },
  );
}

/**
 * Renames a key; its value and its place stay.
 * @throws CannotEdit if it is not there
 */
export function renameKey(text: string, path: Path, key: string): string {
  const value = valueAt(valueOfText(text), path);
  return changed(
    text,
    (root) => withKey(root, path, key, value ?? null),
    () => {
      const map = nodesAt(parsed(text), path.slice(0, -1))?.at(-1);
      const pair = isMap(map) ? pairOf(map, path.at(-1) as string) : undefined;
      if (!pair) throw new CannotEdit(`There is nothing at ${printPath(path)}.`);
      const [from, to] = rangeOf(pair.key, text);
      return [{ from, to, text: inFlow(text, key) }];
    },
  );
}

/**
 * Adds a field right behind another one of the same mapping.
 * @throws CannotEdit if it is there already, or the other one is not
 */
export function addFieldAfter(text: string, path: Path, value: Json, after: string): string {
  return changed(
    text,
    (root) => withFieldAfter(root, path, value, after),
    () => {
      const map = nodesAt(parsed(text), path.slice(0, -1))?.at(-1);
      const before = isMap(map)
        ? map.items.findIndex((one) => String((one.key as Scalar).value) === after)
        : -1;
      if (!isMap(map) || before < 0) throw new CannotEdit(`There is no "${after}" at ${printPath(path)}.`);
      return [addEdit(text, map, String(path.at(-1)), value, before)];
    },
  );
}

/**
 * Puts an item into a list; `index` may be behind the last one.
 * @throws CannotEdit
 */
export function insertItem(text: string, list: Path, index: number, value: Json): string {
  return changed(
    text,
    (root) => withItem(root, list, index, value),
    () => insertEdits(text, list, index, fresh(text, value)),
  );
}

/**
 * An item of a list as it is written, with the comments above it, as if its dash stood at the start of a line.
 * @throws CannotEdit if it is not there
 */
export function itemText(text: string, path: Path): ItemText {
  const found = ownText(text, path);
  if (found) return found;
  const value = valueAt(valueOfText(text), path);
  if (value === undefined) throw new CannotEdit(`There is nothing at ${printPath(path)}.`);
  return { above: "", item: behindDash(value, 0) };
}

/**
 * Puts items into a list as they are written elsewhere, all of them by one edit.
 * @throws CannotEdit
 */
export function insertItemTexts(text: string, list: Path, index: number, items: readonly ItemText[]): string {
  const values = items.map(({ item }) => (valueOfText(`- ${item}`) as Json[])[0] ?? null);
  // As one item whose further lines are the others: between brackets each is written by itself.
  const [first, ...rest] = items;
  if (!first) return text;
  const item = [first.item, ...rest.map((one) => `\n${one.above}- ${one.item}`)].join("");
  return changed(
    text,
    (root) => values.reduceRight<Json>((made, value) => withItem(made, list, index, value), root),
    () =>
      insertEdits(text, list, index, (indent, flow) =>
        flow
          ? { above: "", item: values.map((value) => fresh(text, value)(indent, flow).item).join(", ") }
          : indented({ above: first.above, item }, indent),
      ),
  );
}

/**
 * Moves an item of a list to a place in the same list or another one, with the comments above it. `index` counts in
 * the list as it is before the move.
 * @throws CannotEdit
 */
export function moveItem(text: string, from: Path, list: Path, index: number): string {
  const value = valueAt(valueOfText(text), from);
  if (value === undefined || typeof from.at(-1) !== "number")
    throw new CannotEdit(`There is no item at ${printPath(from)}.`);
  if (startsWith(list, from)) throw new CannotEdit("An item cannot be moved into itself.");
  const source = shifted(from, list, index);
  const target = shifted(list, from.slice(0, -1), Number(from.at(-1)) + 1, -1);
  const own = from.slice(0, -1);
  const at = sameAs(own, list) && index > Number(from.at(-1)) ? index - 1 : index;
  return changed(
    text,
    (root) => withItem(without(root, from), target, at, value),
    () => {
      const moved = ownText(text, from);
      const inserted = applied(
        text,
        insertEdits(text, list, index, (indent, flow) =>
          flow || moved === undefined ? fresh(text, value)(indent, flow) : indented(moved, indent),
        ),
      );
      const edit = moved === undefined ? removeEdit(inserted, source) : removeWithComments(inserted, source);
      return [{ from: 0, to: text.length, text: applied(inserted, [edit]) }];
    },
  );
}

/**
 * The value of a file.
 * @throws CannotEdit if it cannot be read
 */
export function valueOfText(text: string): Json {
  const value = new Source(text).value;
  if (value === undefined) throw new CannotEdit("The file cannot be read as it is; correct it first.");
  return value;
}

/** Makes an edit, and looks that the value changed as it should. */
function changed(text: string, change: (root: Json) => Json, edits: () => TextEdit[]): string {
  const wanted = change(valueOfText(text));
  const made = applied(text, edits());
  const { value } = new Source(made);
  if (value === undefined || !isSame(value, wanted))
    throw new CannotEdit("This cannot be changed without changing other parts of the file; edit its text.");
  return made;
}
