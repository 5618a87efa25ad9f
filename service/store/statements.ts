/** Rows in one statement; a statement is prepared once for each number of rows up to this. */
export const mostRows = 64;

/** One statement of a batch. Of several with one key in the same commit only the last counts; their order is free. */
export type KeyedStatement = { key: string; values: unknown[] } & (
  | { sql: string }
  /** A new row: `runs (id, state)`. Those of one kind in a commit go in as one statement. */
  | { into: string }
  /**
   * A changed row, the value of its key last: `runs (state, id)`; or of a longer key: `triggers (beat) by (workflow, name)`.
   * Those of one kind in a commit are one statement.
   */
  | { change: string }
);

export interface Joined {
  sql: string;
  values: unknown[];
}

/** Rows of one kind, up to `mostRows` of them, become one statement: each statement is a trip to another thread. */
export function joined(statements: Iterable<KeyedStatement>): { rows: Joined[]; others: Joined[] } {
  const rows: Joined[] = [];
  const others: Joined[] = [];
  const into = new Map<string, unknown[][]>();
  const change = new Map<string, unknown[][]>();
  for (const statement of statements) {
    if ("sql" in statement) others.push(statement);
    else if ("into" in statement) gather(into, statement.into, statement.values);
    else gather(change, statement.change, statement.values);
  }
  rows.push(...parts(into, intoSql));
  others.push(...parts(change, changeSql));
  return { rows, others };
}

function gather(kind: Map<string, unknown[][]>, what: string, values: unknown[]): void {
  const rows = kind.get(what);
  if (rows) rows.push(values);
  else kind.set(what, [values]);
}

type SqlOf = (table: string, columns: string, count: number, by?: string) => string;

function parts(kind: Map<string, unknown[][]>, sqlOf: SqlOf): Joined[] {
  return [...kind].flatMap(([what, rows]) => {
    const [, table = "", columns = "", by = ""] = /^(\w+) \((.*?)\)(?: by \((.*)\))?$/.exec(what) ?? [];
    const found: Joined[] = [];
    for (let at = 0; at < rows.length; at += mostRows) {
      const part = rows.slice(at, at + mostRows);
      found.push({ sql: sqlOf(table, columns, part.length, by), values: part.flat() });
    }
    return found;
  });
}

const marks = (columns: string, count: number): string =>
  Array.from({ length: count }, () => `(${columns.replace(/\w+/g, "?")})`).join(",");

export const intoSql: SqlOf = (table, columns, count) =>
  `INSERT INTO ${table} (${columns}) VALUES ${marks(columns, count)}`;

const changeSql: SqlOf = (table, columns, count, by = "") => {
  const names = columns.split(", ");
  const keys = by === "" ? names.splice(-1) : by.split(", ");
  const given = [...names, ...keys].map((name, index) => ({ name, column: `given.column${index + 1}` }));
  const sets = given.slice(0, names.length).map(({ name, column }) => `${name} = ${column}`);
  const wheres = given.slice(names.length).map(({ name, column }) => `${table}.${name} = ${column}`);
  const rows = marks([...names, ...keys].join(", "), count);
  return `UPDATE ${table} SET ${sets.join(", ")} FROM (VALUES ${rows}) AS given WHERE ${wheres.join(" AND ")}`;
};
