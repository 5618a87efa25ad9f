import { renderTemplate } from "../../expressions/templates.js";
import type { ValueMap } from "../../expressions/values.js";
import {
  isObject,
  leafTexts,
  own,
  printJson,
  setOwn,
  type Json,
  type JsonObject,
} from "../../values/json.js";
import { maskPlaces, secretPlaces } from "../../values/masking.js";
import { leafPlaces, valueAt, type Path } from "../../values/paths.js";
import { renderValue, type RememberStep, type ValueTemplate } from "../../workflows/steps.js";
import type { StepLog } from "../replayed.js";
import type { RememberedValues } from "../ports.js";
import { derivedPlaces, madeOfSecret } from "../secrets.js";
import { StepFailed } from "../signals.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";
import { evaluated, settled, takeEnded } from "./ended.js";

/** Changes the remembered values of one key of this workflow, in the same commit as its end. */
export async function walkRemember(
  walk: Walk,
  step: RememberStep,
  frame: Frame,
  log: StepLog,
): Promise<void> {
  if (takeEnded(walk, step, frame, log)) return rehearsed(walk, log.begun?.data["key"], log.ended?.outcome);
  const path = frame.prefix + step.name;
  walk.progress.check(frame, path);
  const at = walk.ports.clock.now();
  const scope = walk.read.scope(frame);
  const surroundings = walk.read.surroundings(path, at);
  const render = (field: "values" | "add" | "append" | "expect"): JsonObject => {
    const value: ValueTemplate | undefined = step[field];
    const rendered = value
      ? walk.read.guarded(path, `remember.${field}`, () => renderValue(value, scope, surroundings))
      : {};
    return isObject(rendered) ? rendered : {};
  };
  const { key, next, secret } = evaluated(walk, step, frame, log, () => {
    const name = walk.read.guarded(
      path,
      "remember.key",
      () => renderTemplate(step.key, scope, surroundings) ?? null,
    );
    if (typeof name !== "string" || name === "" || name.length > 500)
      throw wrong(
        path,
        "remember.key",
        `A key is a text of 1 to 500 characters, not ${printJson(name).slice(0, 60)}.`,
      );
    if (madeOfSecret(walk, step.key, name, scope))
      throw wrong(
        path,
        "remember.key",
        "The key contains a secret, but keys are shown. Use another value as the key.",
      );
    const now = walk.read.rememberedNow(name);
    const given = parts(render);
    const values = rememberedNext(now.values, { ...given, most: step.most }, path);
    return { key: name, next: values, secret: placesOfSecrets(walk, step, given, now, values, scope) };
  });
  walk.write.secret(
    secret.flatMap((place) => leafTexts(valueAt(next, place) ?? null)),
    secret.map((place) => ["steps", step.name, ...place]),
  );
  const masked: Path[] = secret.map((place) => ["outcome", ...place]);
  const expires = step.expires === undefined ? undefined : at + step.expires;
  const shown = walk.secrets.masks.json(maskPlaces(next, secret)) as JsonObject;
  const change = walk.rehearsal
    ? {}
    : { change: { remembered: { key, values: next, masked: secret, shown, expires } } };
  walk.write.note({ type: "begun", path, kind: "remember", at, data: { key } });
  settled(walk, step, frame, at, next, { masked, ...change });
  rehearsed(walk, key, next);
  // Other runs see it at once; they must not see what a lost commit took back.
  await walk.write.commit();
}

/** The places of what is remembered that hold a secret: made of one now, or before, or one that shows or has its name. */
function placesOfSecrets(
  walk: Walk,
  step: RememberStep,
  given: Parts,
  now: RememberedValues,
  next: JsonObject,
  scope: ValueMap,
): Path[] {
  const made = (field: "values" | "add" | "append"): Path[] =>
    step[field] ? derivedPlaces(walk, step[field], given[field], scope) : [];
  const last = (name: string | number | undefined): number => {
    const list = own(next, String(name));
    return Array.isArray(list) ? list.length - 1 : 0;
  };
  const appended = made("append").map(([name = "", ...rest]): Path => [name, last(name), ...rest]);
  const before = now.masked.flatMap(([name = "", ...rest]): Path[] => {
    if (own(given.values, String(name)) !== undefined) return [];
    // Items of a list that is appended to may have moved.
    return own(given.append, String(name)) === undefined ? [[name, ...rest]] : [[name]];
  });
  const places = [...made("values"), ...made("add"), ...appended, ...before, ...secretPlaces(next)];
  const showing = leafPlaces(next).filter((place) => walk.secrets.masks.found(String(valueAt(next, place))));
  const all = [...places, ...showing].filter((place) => valueAt(next, place) !== undefined);
  return [...new Map(all.map((place) => [place.join("\u0000"), place])).values()];
}

/** In a rehearsal nothing is remembered, but what follows sees it as remembered. */
function rehearsed(walk: Walk, key: Json | undefined, values: Json | undefined): void {
  if (walk.rehearsal && typeof key === "string" && values !== undefined)
    setOwn(walk.read.rememberedInRehearsal, key, values);
}

type Parts = Record<"values" | "add" | "append" | "expect", JsonObject>;

function parts(render: (field: keyof Parts) => JsonObject): Parts {
  return { values: render("values"), add: render("add"), append: render("append"), expect: render("expect") };
}

/** What is remembered after a change of what is remembered now. */
function rememberedNext(
  now: JsonObject,
  change: Parts & { most: number | undefined },
  path: string,
): JsonObject {
  for (const name of Object.keys(change.expect)) {
    const [is, expected] = [own(now, name) ?? null, own(change.expect, name) ?? null];
    if (printJson(is) !== printJson(expected))
      throw new StepFailed({
        code: "not-as-expected",
        message: `"${name}" is ${printJson(is).slice(0, 80)}, but ${printJson(expected).slice(0, 80)} was expected: another run changed it. Nothing was saved.`,
        step: path,
        field: `remember.expect.${name}`,
      });
  }
  const next: JsonObject = { ...now };
  for (const name of Object.keys(change.values)) setOwn(next, name, own(change.values, name) as Json);
  for (const name of Object.keys(change.add)) {
    const [is, more] = [own(next, name) ?? 0, own(change.add, name)];
    if (typeof is !== "number" || typeof more !== "number")
      throw wrong(
        path,
        `remember.add.${name}`,
        `Only a number can be added to, not ${printJson(is).slice(0, 60)}.`,
      );
    setOwn(next, name, is + more);
  }
  for (const name of Object.keys(change.append)) {
    const is = own(next, name) ?? [];
    if (!Array.isArray(is))
      throw wrong(
        path,
        `remember.append.${name}`,
        `Only a list can be appended to, not ${printJson(is).slice(0, 60)}.`,
      );
    const list = [...is, own(change.append, name) as Json];
    setOwn(next, name, change.most === undefined ? list : list.slice(-change.most));
  }
  return next;
}

function wrong(path: string, field: string, message: string): StepFailed {
  return new StepFailed({ code: "bad-value", message, step: path, field });
}
