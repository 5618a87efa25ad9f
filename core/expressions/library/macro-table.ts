/** One form that binds a name, or may leave a part unevaluated; the reference page and completion are made from these. */
export interface MacroEntry {
  name: string;
  /** How it is written. */
  form: string;
  help: string;
  examples: readonly (readonly [expression: string, result: string])[];
}

const macro = (name: string, form: string, help: string, ...examples: [string, string][]): MacroEntry => ({
  name,
  form,
  help,
  examples,
});
const rows = '[{"club": "A", "n": 5}, {"club": "B", "n": 2}, {"club": "A", "n": 7}]';

export const macroEntries: readonly MacroEntry[] = [
  macro("has", "has(a.b)", "Whether a field is there.", ['has({"a": 1}.a)', "true"], ["has({}.a)", "false"]),
  macro(
    "default",
    "default(a, b)",
    "a, or b where a is absent, null, or behind something that is.",
    ["default({}.a, 0)", "0"],
    ["default([7][0], 0)", "7"],
  ),
  macro(
    "defaultIfBlank",
    "defaultIfBlank(a, b)",
    "As default; b also where a is a blank text.",
    ['defaultIfBlank(" ", "none")', '"none"'],
    ['defaultIfBlank("x", "none")', '"x"'],
  ),
  macro(
    "cel.bind",
    "cel.bind(name, value, expression)",
    "The expression, in which a name means a value that is computed once.",
    ["cel.bind(x, 2 + 3, x * x)", "25"],
    ['cel.bind(a, "hut", a + a)', '"huthut"'],
  ),
  macro(
    "map",
    "list.map(x, expression) or list.map(x, test, expression)",
    "What an expression gives for each item; with a test, for those that pass.",
    ["[1, 2].map(x, x * 2)", "[2,4]"],
    ["[1, 2, 3].map(x, x > 1, x * 2)", "[4,6]"],
  ),
  macro(
    "filter",
    "list.filter(x, test)",
    "The items that pass a test.",
    ["[1, 2, 3].filter(x, x > 1)", "[2,3]"],
    ['[{"open": true}, {"open": false}].filter(r, r.open)', '[{"open":true}]'],
  ),
  macro(
    "all",
    "list.all(x, test) or list.all(i, x, test)",
    "Whether every item passes a test; with two names also by index or key.",
    ["[1, 2].all(x, x > 0)", "true"],
    ["[5, 6].all(i, x, x > i)", "true"],
  ),
  macro(
    "exists",
    "list.exists(x, test) or list.exists(i, x, test)",
    "Whether some item passes a test.",
    ["[1, 2].exists(x, x > 1)", "true"],
    ['{"a": 1}.exists(k, v, k == "a" && v == 1)', "true"],
  ),
  macro(
    "exists_one",
    "list.exists_one(x, test), also existsOne",
    "Whether exactly one item passes a test.",
    ["[1, 2, 3].exists_one(x, x > 2)", "true"],
    ["[1, 2, 3].existsOne(x, x > 1)", "false"],
  ),
  macro(
    "transformList",
    "list.transformList(i, x, expression), also with a test before the expression",
    "A list of what an expression gives for each index and item, or key and value.",
    ["[5, 6].transformList(i, x, i + x)", "[5,7]"],
    ['{"a": 1, "b": 2}.transformList(k, v, v > 1, k)', '["b"]'],
  ),
  macro(
    "transformMap",
    "object.transformMap(k, v, expression), also with a test before the expression",
    "An object with the same keys, and what an expression gives for each.",
    ['{"a": 1}.transformMap(k, v, v * 2)', '{"a":2}'],
    ['{"a": 1, "b": 2}.transformMap(k, v, v > 1, v)', '{"b":2}'],
  ),
  macro(
    "transformMapEntry",
    "object.transformMapEntry(k, v, object), also with a test before it",
    "One object out of those that an expression gives for each key and value.",
    ['{"a": "x"}.transformMapEntry(k, v, {v: k})', '{"x":"a"}'],
    ['["p", "q"].transformMapEntry(i, v, {v: i})', '{"p":0,"q":1}'],
  ),
  macro(
    "sortBy",
    "list.sortBy(x, key)",
    "The items in the order of a key; equal ones stay as they stood.",
    [`${rows}.sortBy(r, r.n).map(r, r.n)`, "[2,5,7]"],
    ['["bb", "a"].sortBy(t, size(t))', '["a","bb"]'],
  ),
  macro(
    "groupBy",
    "list.groupBy(x, key)",
    "A list of {key, items}, in the order in which keys were first seen.",
    [`${rows}.groupBy(r, r.club).map(g, [g.key, sum(g.items.map(r, r.n))])`, '[["A",12],["B",2]]'],
    ["[1, 2, 3].groupBy(x, x % 2).map(g, g.items)", "[[1,3],[2]]"],
  ),
  macro(
    "countBy",
    "list.countBy(x, key)",
    "A list of {key, count}, in the order in which keys were first seen.",
    [`${rows}.countBy(r, r.club)`, '[{"key":"A","count":2},{"key":"B","count":1}]'],
    ["[].countBy(x, x)", "[]"],
  ),
  macro(
    "indexBy",
    "list.indexBy(x, key)",
    "An object from each key to the first item that has it.",
    [`${rows}.indexBy(r, r.club).A.n`, "5"],
    ["[].indexBy(x, x)", "{}"],
  ),
  macro(
    "sumBy",
    "list.sumBy(x, number)",
    "The sum of a number of each item.",
    [`${rows}.sumBy(r, r.n)`, "14"],
    ["[].sumBy(x, x)", "0"],
  ),
  macro(
    "minBy",
    "list.minBy(x, key)",
    "The item with the smallest key; of an empty list null.",
    [`${rows}.minBy(r, r.n).club`, '"B"'],
    ["[].minBy(x, x)", "null"],
  ),
  macro(
    "maxBy",
    "list.maxBy(x, key)",
    "The item with the largest key; of an empty list null.",
    [`${rows}.maxBy(r, r.n).n`, "7"],
    ["[].maxBy(x, x)", "null"],
  ),
  macro(
    "optMap",
    "optional.optMap(x, expression)",
    "What an expression gives for the value of an optional one, where it has one.",
    ['{"a": 2}.?a.optMap(x, x * 2).orValue(0)', "4"],
    ["{}.?a.optMap(x, x * 2).orValue(0)", "0"],
  ),
  macro(
    "optFlatMap",
    "optional.optFlatMap(x, optional)",
    "As optMap, for an expression that gives an optional value itself.",
    ['{"a": {"b": 1}}.?a.optFlatMap(x, x.?b).orValue(0)', "1"],
    ['{"a": {}}.?a.optFlatMap(x, x.?b).orValue(0)', "0"],
  ),
];
