import type { ValueMap } from "./values.js";

// Expressions and data that are meant to hang, to fill memory, or to get out. Each ends in an error with a place, or in a
// harmless value, soon, in Node and in the browser; whoever finds a new one adds it here.

const repeat = (text: string, times: number) => text.repeat(times);
const nested = (open: string, close: string, depth: number, core = "1") =>
  open.repeat(depth) + core + close.repeat(depth);

/** Data as a hostile answer could hold it. */
export const hostile: ValueMap = {
  o: JSON.parse('{"__proto__":{"polluted":true},"constructor":1,"toString":2,"a":{"b":"c"}}') as ValueMap,
  t: "a".repeat(50_000),
  l: Array.from({ length: 3_000 }, (_, index) => index),
  wide: Object.fromEntries(Array.from({ length: 3_000 }, (_, index) => [`key ${index}`, index])),
  deep: Array.from({ length: 20_000 }).reduce<ValueMap | number>((inner) => ({ a: inner }), 1) as ValueMap,
};

/** Each item asks for more work than it looks like; a million steps must not be a minute. */
export const costly: [what: string, expression: string][] = [
  ["an object that is merged for each of many", 'lists.range(20000).map(i, size(wide.merge({"x": i})))'],
  [
    "objects merged into one another",
    `cel.bind(a, wide, ${repeat("cel.bind(a, a.merge(wide), ", 80)}size(a)${repeat(")", 81)}`,
  ],
  ["a value put into an object for each of many", 'lists.range(20000).map(i, size(put(wide, ["x"], i)))'],
  ["keys of an object for each of many", "lists.range(20000).map(i, size(keys(wide)))"],
  ["keys picked for each of many", "lists.range(20000).map(i, size(pick(wide, keys(wide))))"],
  ["an object made anew for each of many", "lists.range(300).map(i, size(wide.transformMap(k, v, v)))"],
  ["groups made for each of many", "lists.range(400).map(i, size(l.groupBy(x, x)))"],
  ["lists laid flat for each of many", "lists.range(2000).map(i, size([l, l].flatten()))"],
  ["pairs made for each of many", "lists.range(1000).map(i, size(zip(l, l)))"],
  ["pieces of one item", "size(lists.range(900000).chunk(1))"],
  [
    "patterns that are compiled for each of many",
    'lists.range(20000).map(i, "a".matches("a{1,50}" + string(i)))',
  ],
  [
    "patterns with large classes",
    'lists.range(2000).map(i, "a".matches(r"[\\p{L}\\p{N}]+[^\\p{L}]" + string(i)))',
  ],
  ["beginnings of months in a zone", 'lists.range(20000).map(i, now().startOf("month", "Europe/Vienna"))'],
  ["hours in a zone", 'lists.range(50000).map(i, now().getHours("Europe/Vienna"))'],
  ["days in a zone", 'lists.range(50000).map(i, today("Europe/Vienna"))'],
  ["times printed", 'lists.range(20000).map(i, now().printed("yyyy-MM-dd"))'],
  ["times parsed", 'lists.range(20000).map(i, date.parse("01.03.2027", "dd.MM.yyyy"))'],
  ["timestamps read", 'lists.range(100000).map(i, timestamp("2027-03-01T05:00:00Z"))'],
  ["JSON read for each of many", "lists.range(2000).map(i, size(json.parse(json.print(wide))))"],
  ["a name for a file out of two million signs", 'slug((t + " ").replace("a", "aaaaaaaaaaaaaaaaaaaa"))'],
  [
    "one text replaced again and again",
    `cel.bind(a, t, ${repeat('cel.bind(a, a.replace("a", "a"), ', 90)}size(a)${repeat(")", 91)}`,
  ],
  [
    "long texts that begin alike, sorted",
    "size(lists.range(20000).map(i, t.substring(0, 300) + string(i)).sort())",
  ],
];

export const attacks: [what: string, expression: string][] = [
  [
    "a billion steps of nested loops",
    "lists.range(1000).map(a, lists.range(1000).map(b, lists.range(1000).map(c, 1)))",
  ],
  [
    "nested loops that keep nothing",
    "lists.range(2000).all(a, lists.range(2000).all(b, lists.range(2000).all(c, c >= 0)))",
  ],
  ["a list of a billion", "lists.range(1000000000)"],
  ["texts that double", `cel.bind(a, t, ${repeat("cel.bind(a, a + a, ", 40)}size(a)${repeat(")", 41)}`],
  ["lists that double", `cel.bind(a, l, ${repeat("cel.bind(a, a + a, ", 40)}size(a)${repeat(")", 41)}`],
  [
    "lists of lists that double when they are printed",
    `cel.bind(a, [1], ${repeat("cel.bind(a, [a, a], ", 30)}json.print(a)${repeat(")", 31)}`,
  ],
  [
    "lists of lists that double when they are compared",
    `cel.bind(a, [1], ${repeat("cel.bind(a, [a, a], ", 30)}a == a + [] ${repeat(")", 31)}`,
  ],
  [
    "objects that double when they leave",
    `cel.bind(a, {"x": 1}, ${repeat('cel.bind(a, {"x": a, "y": a}, ', 30)}a${repeat(")", 31)}`,
  ],
  ["a pattern that backtracks", `(t + "!").matches("^(a+)+$")`],
  ["a pattern with large counts", `t.matches("((a{1,100}){1,100}){1,100}$")`],
  ["a pattern that is a hundred thousand characters long", `t.matches(t + t)`],
  ["a replacement that grows", `t.replace("a", t)`],
  ["a replacement by pattern that grows", `regex.replace(t, "a", t)`],
  ["a split into single characters, again and again", `lists.range(1000).map(i, t.split(""))`],
  ["a join that grows", `l.map(i, t).join(t)`],
  ["an enormous precision", `"%.999999999f".format([1.5])`],
  ["an enormous format", `lists.range(100000).map(i, "%s%s%s%s".format([t, t, t, t]))`],
  ["padding to a billion", `padStart("a", 1000000000)`],
  ["a hundred thousand terms", repeat("1 + ", 100_000) + "1"],
  ["brackets a thousand deep", nested("(", ")", 1_000)],
  ["lists a thousand deep", nested("[", "]", 1_000)],
  ["objects a thousand deep", nested('{"a": ', "}", 1_000)],
  ["signs a thousand deep", repeat("!", 1_000) + "true"],
  ["minus signs a thousand deep", repeat("- ", 1_000) + "1"],
  ["calls a thousand deep", nested("size([", "])", 1_000)],
  ["conditions a thousand deep", repeat("true ? ", 1_000) + "1" + repeat(" : 2", 1_000)],
  ["fields a thousand long", `o${repeat(".a", 1_000)}`],
  ["ten thousand arguments", `math.least(${repeat("1,", 10_000)}1)`],
  ["the constructor of an object", "o.constructor.constructor('return 1')()"],
  ["the prototype of an object", "o.a.__proto__.polluted"],
  ["the constructor of a text", "t.constructor"],
  ["the constructor of a list", "l['constructor']"],
  ["a getter by another name", "o.a.__defineGetter__"],
  ["a method of JavaScript", "l.forEach(i, i)"],
  ["this", "this.o"],
  ["globals", "globalThis"],
  ["a function of the process", "process.exit(1)"],
  ["deep data that is compared", "deep == deep.a"],
  ["deep data that is printed", "json.print(deep)"],
  ["deep data that leaves", "[deep]"],
  ["sorting by a changing order", "lists.range(100000).sortBy(i, i % 7).map(i, lists.range(1000))"],
  ["groups of groups", "lists.range(3000).groupBy(i, i).map(g, lists.range(3000).groupBy(i, i))"],
  [
    "a set of ten thousand against another",
    "sets.contains(lists.range(20000), lists.range(20000).reverse())",
  ],
  ["distinct items of a large list", "lists.range(100000).distinct()"],
  ["characters of a large text", "lists.range(100000).map(i, t.charAt(i % 50000))"],
  ...costly,
];
