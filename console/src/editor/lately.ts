import { readList, writeList } from "../logic/browser-list.js";

/** What somebody added to workflows lately, by name, the newest first; kept in this browser. */
const place = "copper-kettle.lately";
const most = 12;
const isName = (one: unknown): one is string => typeof one === "string";

export const addedLately = (): string[] => readList(place, isName);
export const noteAdded = (name: string): void =>
  writeList(place, [name, ...addedLately().filter((one) => one !== name)].slice(0, most));

/**
 * Puts first what was added lately, and of that first what belongs to an API: the one that the step before calls.
 * @param names in the order in which they are offered otherwise
 */
export function latelyFirst<T extends { name: string }>(
  offers: readonly T[],
  lately: readonly string[],
  api: string,
): T[] {
  const rank = ({ name }: T): number => {
    const at = lately.indexOf(name);
    if (at < 0) return lately.length;
    return api !== "" && name.startsWith(`${api}.`) ? at - lately.length : at;
  };
  return [...offers].sort((one, other) => rank(one) - rank(other));
}
