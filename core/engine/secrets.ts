import { templateReferences, partText, type Template } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { isObject, own, printJson, type Json } from "../values/json.js";
import { leastLength, secretPlaces } from "../values/masking.js";
import { placesAt, valueAt, type Path } from "../values/paths.js";
import type { Step, ValueTemplate } from "../workflows/steps.js";
import type { Walk } from "./walk.js";

/**
 * Looks for what a value was made of: where it reads a secret, what came of it is a secret too, masked wherever it
 * shows, and by its place (`places`) where it is short.
 * @returns whether the value has to be masked whole
 */
export function derivedSecrets(
  walk: Walk,
  template: ValueTemplate,
  rendered: Json,
  scope: ValueMap,
  places: Path[],
): boolean {
  if (walk.secretPaths.length === 0) return false;
  const texts = secretLeaves(walk, template, rendered, scope);
  if (texts.length === 0) return false;
  walk.secret(texts, places);
  return texts.some((text) => text.length < leastLength);
}

/** The texts of all leaves whose templates read a secret. */
function secretLeaves(walk: Walk, template: ValueTemplate, rendered: Json, scope: ValueMap): string[] {
  if ("constant" in template) return [];
  if ("template" in template) return reads(walk, template.template, scope) ? leafTexts(rendered) : [];
  if ("list" in template) {
    const items = Array.isArray(rendered) ? rendered : [];
    return template.list.flatMap((inner, index) => secretLeaves(walk, inner, items[index] ?? null, scope));
  }
  return template.entries.flatMap(([key, inner]) =>
    secretLeaves(walk, inner, (isObject(rendered) ? own(rendered, key) : undefined) ?? null, scope),
  );
}

function reads(walk: Walk, template: Template, scope: ValueMap): boolean {
  return walk.readsSecret(
    templateReferences(template).map((reference) => reference.path),
    scope,
  );
}

function leafTexts(value: Json): string[] {
  if (value === null || typeof value === "boolean") return [];
  if (typeof value === "string") return value === "" ? [] : [value];
  if (Array.isArray(value)) return value.flatMap(leafTexts);
  if (isObject(value)) return Object.values(value).flatMap(leafTexts);
  return [printJson(value)];
}

/** The parts of a URL that were made of a secret. */
export function secretUrlParts(
  walk: Walk,
  template: Template,
  scope: ValueMap,
  path: string,
  at: number,
): string[] {
  if (walk.secretPaths.length === 0) return [];
  return template.parts.flatMap((part) => {
    if ("text" in part) return [];
    const alone: Template = { source: "", parts: [part], alone: undefined };
    return reads(walk, alone, scope) ? [partText(part, scope, walk.surroundings(path, at))] : [];
  });
}

/** Secrets in an answer, found by their field names: noted for the run, and the places of the short ones returned. */
export function answerSecrets(walk: Walk, body: Json, base: Path): Path[] {
  const places = secretPlaces(body);
  if (places.length === 0) return [];
  const found = places.map((place) => ({ place, text: String(valueAt(body, place)) }));
  walk.secret(
    found.map(({ text }) => text),
    places.map((place) => [...base, ...place]),
  );
  return found.filter(({ text }) => text.length < leastLength).map(({ place }) => place);
}

/** Takes in what a step says is secret in its outcome. Returns the places of it that are masked whole. */
export function statedSecrets(walk: Walk, step: Step, outcome: Json): Path[] {
  if (!step.secret) return [];
  const places = step.secret.flatMap((path) => placesAt(outcome, path));
  const texts = places.flatMap((place) => leafTexts(valueAt(outcome, place) ?? null));
  walk.secret(
    texts,
    step.secret.map((path) => ["steps", step.name, ...path]),
  );
  return places.flatMap((place) =>
    place.length > 0 || !isObject(outcome) ? [place] : Object.keys(outcome).map((key) => [key]),
  );
}
