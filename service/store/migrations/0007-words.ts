import {
  CannotEdit,
  isObject,
  own,
  removeField,
  renameFunction,
  renameKey,
  replaceField,
  sha256Hex,
  valueOfText,
  type Json,
  type JsonObject,
} from "@copper-kettle/core";
import { execute, select, type Store } from "../database.js";

/** One word for one thing: tables, states and what runs wait for. */
export const oneWordForOneThing = [
  `ALTER TABLE kept RENAME TO remembered`,
  `UPDATE runs SET state = 'parked' WHERE state = 'held'`,
  // The owner's token is called "owner"; one of that name by another gets another name first.
  ...["access_tokens", "sessions"].flatMap((table) => [
    `UPDATE ${table} SET name = 'owner (former)' WHERE name = 'owner'`,
    `UPDATE ${table} SET name = 'owner' WHERE name = 'first'`,
  ]),
  `UPDATE runs SET principal = CASE principal WHEN 'owner' THEN 'owner (former)' ELSE 'owner' END
   WHERE principal IN ('owner', 'first')`,
  `UPDATE versions SET published_by = CASE published_by WHEN 'owner' THEN 'owner (former)' ELSE 'owner' END
   WHERE published_by IN ('owner', 'first')`,
  `UPDATE activity SET by = CASE by WHEN 'owner' THEN 'owner (former)' ELSE 'owner' END WHERE by IN ('owner', 'first')`,
  // Who is notified has to be set again: the row is sealed under its old name.
  `DELETE FROM settings WHERE name IN ('telling', 'told', 'telling-pending')`,
];

/** Brings the texts of all workflows to the words that the file has now, by edits that leave all else as it was. */
export async function convertTexts(store: Store): Promise<void> {
  const rows = await select<{ digest: string; text: string }>(store, "SELECT digest, text FROM texts");
  for (const { digest, text } of rows) {
    const made = converted(text);
    if (made === text) continue;
    const next = sha256Hex(made);
    const run = (sql: string, values: unknown[]): Promise<unknown> => execute(store.connection, sql, values);
    await run("INSERT OR IGNORE INTO texts (digest, text) VALUES (?, ?)", [next, made]);
    await run("UPDATE workflows SET draft = ? WHERE draft = ?", [next, digest]);
    await run("UPDATE versions SET text = ? WHERE text = ?", [next, digest]);
    await run("UPDATE runs SET text = ? WHERE text = ?", [next, digest]);
    await run("DELETE FROM texts WHERE digest = ?", [digest]);
  }
}

/** A text in the new words; one that cannot be read stays as it is, and its problems say what to change. */
export function converted(text: string): string {
  try {
    let made = withCodes(withLimits(text));
    for (let steps = stepsOf(made), at = 0; at < steps.length; at++) {
      made = withStep(made, steps[at] as (string | number)[]);
      steps = stepsOf(made);
    }
    return renameFunction(made, "kept", "remembered");
  } catch (error) {
    if (error instanceof CannotEdit) return text;
    throw error;
  }
}

type Way = (string | number)[];

function valueAt(text: string, path: Way): Json | undefined {
  let value: Json | undefined = valueOfText(text);
  for (const part of path)
    value = Array.isArray(value)
      ? value[Number(part)]
      : isObject(value)
        ? own(value, String(part))
        : undefined;
  return value;
}

function withLimits(text: string): string {
  const known = valueAt(text, ["limits", "at-once"]) !== undefined;
  return known ? renameKey(text, ["limits", "at-once"], "parallel") : text;
}

/** Expressions that compare an error's code, such as `error.code == "answer"`. */
function withCodes(text: string): string {
  const codes: Record<string, string> = {
    answer: "response",
    "bad-answer": "bad-response",
    "answer-too-large": "response-too-large",
    shape: "drift",
  };
  return text.replace(
    /(\.code\s*[!=]=\s*)(\\?["'])([a-z-]+)\2/g,
    (whole, before: string, quote: string, code: string) =>
      codes[code] ? `${before}${quote}${codes[code]}${quote}` : whole,
  );
}

/** The ways to all steps: whatever has a name under `step`. */
function stepsOf(text: string): Way[] {
  const found: Way[] = [];
  const visit = (value: Json | undefined, way: Way): void => {
    if (Array.isArray(value)) value.forEach((item, index) => visit(item, [...way, index]));
    else if (isObject(value)) {
      if (typeof value["step"] === "string") found.push(way);
      for (const key of Object.keys(value)) visit(own(value, key), [...way, key]);
    }
  };
  visit(valueAt(text, ["steps"]), ["steps"]);
  return found;
}

function withStep(text: string, way: Way): string {
  let made = text;
  const at = (...rest: Way): Json | undefined => valueAt(made, [...way, ...rest]);
  const renamed = (place: Way, key: string, value?: Json): void => {
    if (at(...place) === undefined) return;
    const path = [...way, ...place];
    made = value === undefined ? renameKey(made, path, key) : replaceField(made, path, key, value);
  };
  renamed(["at-once"], "parallel");
  renamed(["on-failure"], "if-one-fails");
  renamed(["when-paced"], "when-limited", at("when-paced") === "drop" ? "skip" : undefined);
  for (const call of [[], ["ensure", "find"], ["ensure", "create"], ["ensure", "update"]])
    renamed([...call, "timeout", "answer"], "response");
  renamed(["keep"], "remember");
  if (at("workflow", "wait") === true) made = removeField(made, [...way, "workflow", "wait"]);
  else renamed(["workflow", "wait"], "in-background", true);
  const stop = at("stop");
  if (isObject(stop)) made = withEnd(made, way, stop);
  return made;
}

function withEnd(text: string, way: Way, stop: JsonObject): string {
  const failed = stop["as"] === "failed";
  const message = stop["message"] ?? (failed ? "Failed." : "Finished.");
  return replaceField(text, [...way, "stop"], failed ? "fail" : "finish", message);
}
