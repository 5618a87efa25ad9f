import { conversionFunctions } from "./conversions.js";
import type { FunctionEntry } from "./entry.js";
import { encodingFunctions } from "./encodings.js";
import { listFunctions } from "./lists.js";
import { numberFunctions } from "./numbers.js";
import { objectFunctions } from "./objects.js";
import { textFunctions } from "./texts.js";
import { timeFunctions } from "./times.js";
import { collectionFunctions } from "./collections.js";
import { dateFunctions } from "./dates.js";
import { moreNumberFunctions } from "./more-numbers.js";
import { moreTextFunctions } from "./more-texts.js";
import { regexFunctions } from "./regexes.js";

/** The library by matter, in the order of the reference page. */
export const sections: readonly { title: string; functions: readonly FunctionEntry[] }[] = [
  { title: "Kinds and conversions", functions: conversionFunctions },
  { title: "Text", functions: [...textFunctions, ...moreTextFunctions] },
  { title: "Regular expressions", functions: regexFunctions },
  { title: "Numbers", functions: [...numberFunctions, ...moreNumberFunctions] },
  { title: "Lists", functions: listFunctions },
  { title: "Objects, sets and optional values", functions: [...objectFunctions, ...collectionFunctions] },
  { title: "Encoding, hashing and signing", functions: encodingFunctions },
  { title: "Time and ids", functions: [...timeFunctions, ...dateFunctions] },
];

/** The whole library. */
export const functions: readonly FunctionEntry[] = sections.flatMap((section) => section.functions);

/** Words that stand before a function's dot and are no values: `math.least`. */
export const namespaces: ReadonlySet<string> = new Set([
  "cel",
  ...functions.filter((entry) => entry.name.includes(".")).map((entry) => entry.name.split(".")[0] as string),
]);

const byForm = new Map<string, FunctionEntry>();
for (const entry of functions) {
  if (entry.form !== "method") byForm.set(`function ${entry.name}`, entry);
  if (entry.form !== "function") byForm.set(`method ${entry.name}`, entry);
}

/** The entry of a name written as a method (`x.name()`) or as a function (`name(x)`). */
export function findFunction(name: string, method: boolean): FunctionEntry | undefined {
  return byForm.get(`${method ? "method" : "function"} ${name}`);
}
