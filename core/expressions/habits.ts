// What people write who come from scripts, spreadsheets or SQL, and what says the same here. Names in small letters.

const first = "list.filter(item, …)[0]";
const time = 'time.printed("yyyy-MM-dd")';
const switching = "condition ? one : another";

/** Functions that are none here. */
const functions: Record<string, string> = {
  ...Object.fromEntries(
    ["round", "floor", "ceil", "abs", "trunc", "sqrt", "sign", "isNaN", "isFinite"].flatMap((name) =>
      [name, `math.${name}`].map((habit) => [habit.toLowerCase(), `math.${name}(number)`]),
    ),
  ),
  ...each("json.parse(text), or date.parse(text, form)", "parse"),
  ...each("json.print(value)", "stringify", "dumps"),
  ...each("size(list), or size(list.filter(item, …))", "count", "counter"),
  ...each("size(value)", "len", "length", "strlen", "count_items", "rows"),
  ...each("upper(text)", "touppercase", "uppercase", "ucase", "toupper", "strtoupper"),
  ...each("lower(text)", "tolowercase", "lowercase", "lcase", "tolower", "strtolower"),
  ...each('text.contains("part"), or for a list: item in list', "includes", "has_key", "haskey", "include"),
  ...each("text.contains(…), text.startsWith(…) or text.matches(…)", "like", "ilike"),
  ...each("text.substring(start, end)", "substr", "mid", "left", "right"),
  ...each(switching, "if", "iif", "ifs", "iff", "ternary", "switch", "case", "decode", "choose"),
  ...each(
    '"a" + "b" for texts, [1] + [2] for lists',
    "concat",
    "concatenate",
    "textjoin",
    "append",
    "push",
    "add",
  ),
  ...each(
    first,
    "find",
    "findfirst",
    "firstwhere",
    "detect",
    "vlookup",
    "xlookup",
    "lookup",
    "index_of_item",
  ),
  ...each("list.exists(item, …)", "some", "anymatch"),
  ...each("list.all(item, …)", "every", "allmatch"),
  ...each("list.filter(item, …)", "where", "select", "find_all", "findall", "reject"),
  ...each("list.map(item, …)", "collect", "pluck", "foreach", "transform", "flatmap"),
  ...each(
    "list.sum(), list.sumBy(item, …), list.join(…) or least and greatest",
    "reduce",
    "fold",
    "aggregate",
  ),
  ...each("greatest(list) or greatest(a, b)", "max", "maximum", "math.max", "math.maximum"),
  ...each("least(list) or least(a, b)", "min", "minimum", "math.min", "math.minimum"),
  ...each("list.average()", "avg", "mean", "averageif"),
  ...each("list.filter(item, …).sum()", "sumif", "sumifs"),
  ...each("size(list.filter(item, …))", "countif", "countifs", "counta"),
  ...each(
    "math.round(number)",
    "math.rint",
    "fround",
    "fixed",
    "tofixed",
    "toprecision",
    "roundup",
    "rounddown",
  ),
  ...each("json.parse(text)", "jsonparse", "parsejson", "fromjson", "from_json", "json.loads", "json.decode"),
  ...each(
    "json.print(value)",
    "json.stringify",
    "tojson",
    "to_json",
    "json.dumps",
    "json.encode",
    "jsonencode",
  ),
  ...each(
    "number(text)",
    "parseint",
    "parsefloat",
    "tonumber",
    "to_number",
    "float",
    "num",
    "val",
    "cast",
    "todouble",
  ),
  ...each("string(value)", "tostring", "str", "to_string", "to_char", "text", "tostr"),
  ...each(
    "default(value, otherwise)",
    "coalesce",
    "nvl",
    "ifnull",
    "isnull",
    "ifna",
    "iferror",
    "ifempty",
    "default_if_none",
    "orelse",
    "getordefault",
    "get",
    "dig",
    "nullif",
  ),
  ...each("value == null", "is_null", "isnil", "isundefined"),
  ...each("size(value) == 0", "isempty", "is_empty", "empty", "isblank"),
  ...each(
    'has(object.field) or "key" in object',
    "hasownproperty",
    "containskey",
    "exist",
    "isset",
    "in_array",
  ),
  ...each(
    "regex.extract(text, pattern), or text.matches(pattern)",
    "match",
    "regex",
    "regexp",
    "test",
    "regexextract",
    "regexp_match",
    "search",
    "re.match",
    "re.search",
    "matchall",
    "exec",
  ),
  ...each(
    "text.replace(old, new), or regex.replace(text, pattern, new)",
    "replaceall",
    "substitute",
    "gsub",
    "re.sub",
    "regexreplace",
    "translate",
  ),
  ...each("text.split(separator)", "explode", "tokenize", "splittext"),
  ...each("list.join(separator)", "implode", "joinlist"),
  ...each("list.distinct()", "unique", "uniq", "dedupe", "toset", "set"),
  ...each("list.sortBy(item, item.key)", "orderby", "order_by", "sort_by", "sorted", "arrange"),
  ...each("list.groupBy(item, item.key)", "group_by", "group", "partition"),
  ...each("list.indexBy(item, item.key)", "keyby", "tomap", "to_h", "object.fromentries"),
  ...each("list.flatten()", "flat", "flattenlist"),
  ...each("list.slice(start, end)", "take", "limit", "skip", "drop", "splice", "subarray"),
  ...each(
    "list[0], and list.slice(size(list) - 1, size(list))[0] for the last",
    "at",
    "nth",
    "elementat",
    "head",
    "item",
    "shift",
    "pop",
  ),
  ...each("lists.range(count)", "range", "sequence", "seq", "generate_series"),
  ...each("text.trim()", "strip", "ltrim", "rtrim", "trimstart", "trimend", "chomp", "clean"),
  ...each(
    "keys(object), values(object) or entries(object)",
    "object.keys",
    "object.values",
    "object.entries",
    "items",
  ),
  ...each("merge(one, another)", "object.assign", "assign", "extend", "spread"),
  ...each(
    "now()",
    "date.now",
    "getdate",
    "sysdate",
    "current_timestamp",
    "getutcdate",
    "time",
    "datetime.now",
    "utcnow",
    "current_date",
    "new",
  ),
  ...each(
    time,
    "formatdate",
    "dateformat",
    "date_format",
    "strftime",
    "toisostring",
    "tolocaledatestring",
    "format_date",
    "formatdatetime",
  ),
  ...each(
    'date.parse(text, "dd.MM.yyyy"), or timestamp(text)',
    "date",
    "parsedate",
    "to_date",
    "strptime",
    "todate",
    "datetime",
    "parsedatetime",
    "datevalue",
    "fromisoformat",
  ),
  ...each(
    'time + duration("1d")',
    "dateadd",
    "date_add",
    "adddays",
    "addhours",
    "addminutes",
    "adddate",
    "edate",
    "plusdays",
    "add_days",
  ),
  ...each("(time - other).getHours()", "datediff", "date_diff", "datedif", "timediff"),
  ...each("time.getFullYear(), time.getMonth() + 1, time.getDate()", "year", "month", "day", "weekday"),
  ...each("type(value)", "typeof", "gettype", "isinstance", "type_of"),
  ...each("urlEncode(text)", "encodeuricomponent", "encodeuri", "urlencode_all", "quote_plus", "uriencode"),
  ...each("urlDecode(text)", "decodeuricomponent", "decodeuri", "unquote"),
  ...each("base64.encode(text)", "btoa", "base64encode", "tobase64", "b64encode", "base64", "tobase64string"),
  ...each("base64.decode(text)", "atob", "base64decode", "frombase64", "b64decode"),
  ...each("uuid()", "guid", "newid", "randomuuid", "uuid4", "random", "rand", "crypto.randomuuid"),
  ...each("hmacSha256(key, text)", "hmac", "hmac_sha256", "crypto.createhmac"),
  ...each("padStart(value, length, with)", "padleft", "lpad", "zfill", "pad", "leftpad"),
  ...each("a && b", "and"),
  ...each("a || b", "or"),
  ...each("!a", "not"),
  ...each("a * a", "pow", "power", "math.pow", "square"),
  ...each("a % b", "mod", "modulo", "rem"),
  ...each("steps.NAME.body", "output", "steps", "body", "outputs", "node", "previous", "result", "items_of"),
  ...each("constants.NAME", "env", "getenv", "vars", "secret", "config", "variables", "parameters"),
};

/** Names that stand for no value here. */
const names: Record<string, string> = {
  ...each("true", "true", "yes", "on"),
  ...each("false", "false", "no", "off"),
  ...each("null", "null", "none", "nil", "undefined", "nothing"),
  ...each("now()", "now", "current_timestamp", "sysdate", "date"),
  ...each("today()", "today", "current_date"),
  ...each(
    "a path such as inputs.NAME or steps.NAME.body",
    "this",
    "self",
    "it",
    "item",
    "$",
    "_",
    "payload",
    "data",
    "msg",
    "json",
    "context",
    "event",
  ),
  ...each("constants.NAME", "env", "vars", "process", "config", "secrets", "variables"),
  ...each("math.round(number), math.floor(number), greatest(a, b) and others", "math"),
  ...each("json.parse(text) and json.print(value)", "json.parse"),
  ...each("keys(object), values(object) and entries(object)", "object"),
  ...each("timestamp(text), date.parse(text, form) and now()", "datetime"),
};

/** Fields that are functions here, of texts and lists. */
const fields: Record<string, string> = {
  ...each("size(PATH)", "length", "size", "count", "len"),
  ...each("PATH[0]", "first", "head"),
  ...each("PATH.last()", "last", "tail"),
  ...each("upper(PATH)", "upper", "touppercase", "uppercase"),
  ...each("lower(PATH)", "lower", "tolowercase", "lowercase"),
  ...each("PATH.trim()", "trim"),
  ...each("PATH.sum()", "sum", "total"),
};

/** The same meaning for several habits. */
export function each(meant: string, ...habits: string[]): Record<string, string> {
  return Object.fromEntries(habits.map((habit) => [habit, meant]));
}

function found(table: Record<string, string>, name: string): string | undefined {
  const key = name.toLowerCase();
  return Object.hasOwn(table, key) ? table[key] : undefined;
}

/** Objects of other languages that hold their functions. */
const holders = new Set(["Math", "JSON", "Object", "Date", "String", "Number", "Array", "RegExp"]);

/** What to write instead of a function of another language's object, such as `Math.round`. */
export function heldFunctionMeant(holder: string, name: string): string | undefined {
  return holders.has(holder)
    ? (found(functions, `${holder}.${name}`) ?? found(functions, name) ?? "a function of this language")
    : undefined;
}

/** What to write instead of a function that there is not; undefined if nobody knows. */
export function functionMeant(name: string): string | undefined {
  return found(functions, name);
}

/** What to write instead of a name that stands for nothing. */
export function nameMeant(name: string): string | undefined {
  return found(names, name);
}

/** What to write instead of a field that a text, a list or a number has not. */
export function fieldMeant(path: string, key: string): string | undefined {
  return found(fields, key)?.replace("PATH", path);
}
