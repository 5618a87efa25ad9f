import { isMap, isSeq, type Scalar } from "yaml";
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
 * Removes items of a list that stand one behind another, each with the comments right above it.
 * @param path of the first
 * @throws CannotEdit if one is not there
 */
export function removeItems(text: string, path: Path, count = 1): string {
  const list = path.slice(0, -1);
  const paths = Array.from({ length: count }, (_, offset) => [...list, Number(path.at(-1)) + offset]);
  return changed(
    text,
    (root) => paths.reduceRight<Json>(without, root),
    (apart) => {
      const node = nodesAt(parsed(text), list)?.at(-1);
      if (!isSeq(node) || node.items.length > count)
        return paths.map((one) => removeWithComments(text, one, apart));
      const [from, to] = rangeOf(node, text);
      return [{ from, to, text: "[]" }];
    },
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
    (apart) => insertEdits(text, list, index, fresh(text, value), apart),
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
  const item = [
    first.item,
    ...rest.map((one) => `${one.isApart ? "\n\n" : "\n"}${one.above}- ${one.item}`),
  ].join("");
  return changed(
    text,
    (root) => values.reduceRight<Json>((made, value) => withItem(made, list, index, value), root),
    (apart) =>
      insertEdits(
        text,
        list,
        index,
        (indent, flow) =>
          flow
            ? { above: "", item: values.map((value) => fresh(text, value)(indent, flow).item).join(", ") }
            : indented({ above: first.above, item }, indent),
        apart,
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
    (apart) => {
      const moved = ownText(text, from);
      const print = (indent: number, flow: boolean): ItemText =>
        flow || moved === undefined ? fresh(text, value)(indent, flow) : indented(moved, indent);
      const inserted = applied(text, insertEdits(text, list, index, print, apart));
      const edit =
        moved === undefined ? removeEdit(inserted, source) : removeWithComments(inserted, source, apart);
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

/**
 * A text after edits, whose value is what it should be.
 * @param edits what they are; `apart` says whether blank lines between items belong to them. Behind a text that keeps the
 * blank lines at its end (`|+`) they do not.
 * @throws CannotEdit if the text then holds anything else
 */
function changed(text: string, change: (root: Json) => Json, edits: (apart: boolean) => TextEdit[]): string {
  const wanted = change(valueOfText(text));
  for (const apart of [true, false]) {
    const made = applied(text, edits(apart));
    const { value } = new Source(made);
    if (value !== undefined && isSame(value, wanted)) return made;
  }
  throw new CannotEdit("This cannot be changed without changing other parts of the file; edit its text.");
}
