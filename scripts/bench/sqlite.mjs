import sqlite3 from "sqlite3";

/** Calls a method of sqlite3 that ends with a callback. */
export const call = (target, method, ...args) =>
  new Promise((resolve, reject) =>
    target[method](...args, (error, result) => (error ? reject(error) : resolve(result))),
  );

/** Opens a database for a bare side: with the same durability as ours, and one table. */
export async function openBare(file, table) {
  const database = await new Promise((resolve, reject) => {
    const opened = new sqlite3.Database(file, (error) => (error ? reject(error) : resolve(opened)));
  });
  await call(database, "exec", `PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; ${table}`);
  return database;
}
