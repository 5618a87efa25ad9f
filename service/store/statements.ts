/** Rows in one statement; a statement is prepared once for each number of rows up to this. */
export const mostRows = 64;

/** One statement of a batch. Of several with one key in the same commit only the last counts; their order is free. */
export type KeyedStatement = { key: string; values: unknown[] } & (
  | { sql: string }
  /** A new row: `runs (id, state)`. Those of one kind in a commit go in as one statement. */
  | { into: string }
  /** A changed row, the value of its key last: `runs (state, id)`. Those of one kind in a commit are one statement. */
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

type SqlOf = (table: string, columns: string, count: number) => string;

function parts(kind: Map<string, unknown[][]>, sqlOf: SqlOf): Joined[] {
  return [...kind].flatMap(([what, rows]) => {
    const [, table = "", columns = ""] = /^(\w+) \((.*)\)$/.exec(what) ?? [];
    const found: Joined[] = [];
    for (let at = 0; at < rows.length; at += mostRows) {
      const part = rows.slice(at, at + mostRows);
      found.push({ sql: sqlOf(table, columns, part.length), values: part.flat() });
    }
    return found;
  });
}

const marks = (columns: string, count: number): string =>
  Array.from({ length: count }, () => `(${columns.replace(/\w+/g, "?")})`).join(",");

export const intoSql: SqlOf = (table, columns, count) =>
  `INSERT INTO ${table} (${columns}) VALUES ${marks(columns, count)}`;

const changeSql: SqlOf = (table, columns, count) => {
  const names = columns.split(", ");
  const key = names.pop() as string;
  const sets = names.map((name, index) => `${name} = given.column${index + 1}`).join(", ");
  return `UPDATE ${table} SET ${sets} FROM (VALUES ${marks(columns, count)}) AS given WHERE ${table}.${key} = given.column${names.length + 1}`;
};
