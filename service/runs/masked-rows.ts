import {
  leafTexts,
  leastLength,
  maskPlaces,
  MaskSet,
  placesAt,
  printJson,
  secretPlaces,
  valueAt,
  type Entry,
  type Json,
  type JournalRow,
  type Path,
} from "@copper-kettle/core";

/**
 * The first rows of a journal: what the starter gave, with what is secret in it sealed.
 * @param places as expressions write them, `["inputs", "pin"]`; and those of options, `["options", "fixed", "login"]`
 */
export function startRows(
  started: Extract<Entry, { type: "started" }>,
  places: Path[],
  more: string[] = [],
): JournalRow[] {
  if (places.length === 0 && more.length === 0)
    return [{ entry: started, open: printJson(started), sealed: undefined }];
  const value = started as unknown as Json;
  const values = places
    .flatMap((place) => placesAt(value, place))
    .flatMap((place) => leafTexts(valueAt(value, place) ?? null));
  const masks = new MaskSet();
  masks.add([...values, ...more]);
  const secrets: Entry = {
    type: "secrets",
    at: started.at,
    values: [...new Set([...values, ...more])].filter((text) => text.length >= leastLength),
    places: places.filter(([root]) => root !== "options"),
  };
  const masked: Entry = {
    ...started,
    masked: places.filter(([root]) => root === "inputs" || root === "options" || root === "trigger"),
  };
  return [maskedRow(masked, masks), maskedRow(secrets, masks)];
}

/** Where values that somebody changed at a breakpoint are secret: at places of secrets, or by the names of fields. */
export function secretChanges(changes: { place: Path; value: Json }[], places: Path[]): Path[] {
  return changes.flatMap(({ place, value }, index) => {
    const at: Path = ["changes", index, "value"];
    const [last = ""] = place.slice(-1);
    const named = secretPlaces({ [last]: value }).map((found) => [...at, ...found.slice(1)]);
    const around = places.filter((secret) => place.every((part, depth) => isSame(secret[depth], part)));
    if (places.some((secret) => secret.every((part, depth) => isSame(part, place[depth])))) return [at];
    return [...named, ...around.map((secret) => [...at, ...secret.slice(place.length)])];
  });
}

/** Whether two parts of places lead the same way; `*` stands for any. */
function isSame(one: string | number | undefined, other: string | number | undefined): boolean {
  return one === "*" || other === "*" || (one !== undefined && String(one) === String(other));
}

export function maskedRow(entry: Entry, masks: MaskSet): JournalRow {
  const open = printJson(masks.json(maskPlaces(entry as unknown as Json, entry.masked ?? [])));
  const sealed = printJson(entry);
  return { entry, open, sealed: open === sealed ? undefined : sealed };
}
