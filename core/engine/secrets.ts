import type { Expression } from "../expressions/compile.js";
import { references } from "../expressions/references.js";
import { templateReferences, partText, type Template } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { isObject, leafTexts, own, printJson, type Json, type JsonObject } from "../values/json.js";
import { leastLength, mask, secretFormValues, secretPlaces } from "../values/masking.js";
import { placesAt, valueAt, type Path } from "../values/paths.js";
import type { ReadyCall, Step, ValueTemplate } from "../workflows/steps.js";
import type { SecretParts } from "../http/other-origin.js";
import type { StepLog } from "./replayed.js";
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
  if (walk.secrets.paths.length === 0) return false;
  const texts = secretLeaves(walk, template, rendered, scope);
  if (texts.length === 0) return false;
  walk.write.secret(texts, places);
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
  return walk.secrets.readBy(
    templateReferences(template).map((reference) => reference.path),
    scope,
  );
}

/** The same of a bare expression: what it gave is secret where it reads a secret. */
export function derivedByExpression(
  walk: Walk,
  expression: Expression,
  value: Json,
  scope: ValueMap,
  places: Path[],
): boolean {
  if (walk.secrets.paths.length === 0 || !walk.secrets.readBy(pathsOf(expression), scope)) return false;
  const texts = leafTexts(value);
  walk.write.secret(texts, places);
  return texts.some((text) => text.length < leastLength);
}

function pathsOf(expression: Expression): string[][] {
  return references(expression.tree).map(({ path }) => path);
}

/** Whether a text was made of a secret: by what its template reads, or by what shows in it. */
export function madeOfSecret(walk: Walk, template: Template, text: string, scope: ValueMap): boolean {
  return walk.secrets.masks.found(text) || (walk.secrets.paths.length > 0 && reads(walk, template, scope));
}

/** The places in a value whose templates read a secret. */
export function derivedPlaces(walk: Walk, template: ValueTemplate, rendered: Json, scope: ValueMap): Path[] {
  if (walk.secrets.paths.length === 0 || "constant" in template) return [];
  if ("template" in template) return reads(walk, template.template, scope) ? [[]] : [];
  const inner: [string | number, ValueTemplate][] =
    "list" in template ? template.list.map((one, index) => [index, one]) : template.entries;
  return inner.flatMap(([key, one]) =>
    derivedPlaces(walk, one, valueAt(rendered, [key]) ?? null, scope).map((place) => [key, ...place]),
  );
}

/**
 * The places inside of one item of a list that hold secrets; `[[]]` where the whole item does. A list that is a path
 * itself tells them apart; of any other expression that reads a secret each item is one.
 * @param from what stands for the first name of a path, as `["steps", "page", "body"]` for `body`
 */
export function secretItemPlaces(
  walk: Walk,
  list: Expression,
  scope: ValueMap,
  from: (path: string[]) => string[] = (path) => path,
): Path[] {
  if (walk.secrets.paths.length === 0) return [];
  const paths = pathsOf(list).map(from);
  if (
    !walk.secrets.readBy(paths, scope) &&
    !paths.some((path) => walk.secrets.paths.some((one) => isBelow(one, path)))
  )
    return [];
  const [only, ...more] = paths;
  if (!only || more.length > 0 || !plainPath.test(list.text.trim())) return [[]];
  const covers = walk.secrets.paths.some((secret) => isAbove(secret, only));
  const below = covers ? [] : walk.secrets.paths.filter((secret) => isBelow(secret, only));
  return below.length === 0 ? [[]] : below.map((secret) => secret.slice(only.length + 1));
}

/**
 * The places that are secret in a part of what an expression gives; `[[]]` where all of it is. Of a path, what lies deeper
 * is told apart; any other expression that reads a secret gives one.
 * @param part the name of the part, such as `body`
 */
export function secretPlacesIn(walk: Walk, expression: Expression, part: string): Path[] {
  const [only, ...more] = pathsOf(expression).map((path) => [...path, part]);
  const { paths } = walk.secrets;
  if (!only || paths.length === 0) return [];
  const isPlain = more.length === 0 && plainPath.test(expression.text.trim());
  const touches = [only, ...more].some((path) =>
    paths.some((secret) => isBelow(secret, path) || isAbove(secret, path)),
  );
  if (!touches) return [];
  if (!isPlain || paths.some((secret) => isAbove(secret, only))) return [[]];
  return paths.filter((secret) => isBelow(secret, only)).map((secret) => secret.slice(only.length));
}

/** Whether an expression over a call's own response reads what is secret in it. */
export function readsOwnSecret(walk: Walk, step: Step, expression: Expression | undefined): boolean {
  if (!expression || walk.secrets.paths.length === 0) return false;
  return walk.secrets.readBy(
    pathsOf(expression).map((path) => ["steps", step.name, ...path]),
    {},
  );
}

/** Whether a place is a path itself, or what it lies in. */
function isAbove(place: Path, path: readonly string[]): boolean {
  return (
    place.length <= path.length &&
    place.every((part, at) => part === "*" || path[at] === "*" || String(part) === path[at])
  );
}

const plainPath = /^[A-Za-z_]\w*(\.[A-Za-z_]\w*|\[\d+\]|\["[^"\\]*"\])*$/;

/** Whether a place lies deeper than a path, on its way. */
function isBelow(place: Path, path: readonly string[]): boolean {
  return (
    place.length > path.length &&
    path.every((part, at) => part === "*" || place[at] === "*" || String(place[at]) === part)
  );
}

/** The parts of a URL that were made of a secret. */
export function secretUrlParts(
  walk: Walk,
  template: Template,
  scope: ValueMap,
  path: string,
  at: number,
): string[] {
  if (walk.secrets.paths.length === 0) return [];
  return template.parts.flatMap((part) => {
    if ("text" in part) return [];
    const alone: Template = { source: "", parts: [part], alone: undefined };
    return reads(walk, alone, scope) ? [partText(part, scope, walk.read.surroundings(path, at))] : [];
  });
}

/** Header fields that say nothing of who asks. */
const plainHeader = /^(accept|accept-language|content-type|user-agent)$/i;

/** Which parts of a call's request hold secrets: found by value, and short ones by the places that its entry masks. */
export function secretParts(walk: Walk, { begun }: StepLog): SecretParts {
  const isMasked = (part: string): boolean =>
    begun?.masked?.some((place) => place[1] === "request" && place[2] === part) ?? false;
  const body = (begun?.data["request"] as JsonObject | undefined)?.["body"] ?? "";
  return {
    header: (name, value) =>
      walk.secrets.masks.found(value) || (isMasked("headers") && !plainHeader.test(name)),
    get body() {
      return isMasked("body") || walk.secrets.masks.found(typeof body === "string" ? body : printJson(body));
    },
  };
}

/** A call's URL as messages show it: of one with a secret too short to be found in it only where it goes to. */
export function shownUrl(walk: Walk, { begun }: StepLog, url: string): string {
  const isMasked = begun?.masked?.some((place) => place.at(-1) === "url") ?? false;
  return isMasked ? (/^https?:\/\/[^/?#]*/i.exec(url)?.[0] ?? mask) : walk.secrets.masks.text(url);
}

/**
 * A call as messages name it, with the API first: `stays · GET /guests`. A call without an operation is named by its
 * host. The query is left out: the recorded request has it.
 */
export function shownCall(
  walk: Walk,
  log: StepLog,
  step: ReadyCall,
  { method, url }: { method: string; url: string },
): string {
  const [, host = url, path = ""] = /^https?:\/\/([^/?#]*)([^?#]*)/i.exec(shownUrl(walk, log, url)) ?? [];
  return `${step.operation?.api ?? host} · ${method} ${path}`.trim();
}

/** Secrets in a response, found by their field names: noted for the run, and the places of the short ones returned. */
export function responseSecrets(walk: Walk, body: Json, base: Path): Path[] {
  if (typeof body === "string") {
    walk.write.secret(secretFormValues(body), []);
    return [];
  }
  const places = secretPlaces(body);
  if (places.length === 0) return [];
  const found = places.map((place) => ({ place, text: String(valueAt(body, place)) }));
  walk.write.secret(
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
  walk.write.secret(
    texts,
    step.secret.flatMap((path) => [
      ["steps", step.name, ...path],
      // Variables are read by another name.
      ...(step.kind === "set" ? [["variables", ...path]] : []),
    ]),
  );
  return places.flatMap((place) =>
    place.length > 0 || !isObject(outcome) ? [place] : Object.keys(outcome).map((key) => [key]),
  );
}
