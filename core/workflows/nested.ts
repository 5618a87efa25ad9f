import { isObject, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { Step } from "./steps.js";

/** The lists of steps inside a step of the file, with where they stand in it. */
export function innerLists(step: JsonObject): { list: Json[]; path: Path }[] {
  const found: { list: Json[]; path: Path }[] = [];
  const take = (list: Json | undefined, path: Path): void => {
    if (Array.isArray(list)) found.push({ list, path });
  };
  for (const key of ["then", "else", "steps"]) take(step[key], [key]);
  const cases = step["cases"];
  if (Array.isArray(cases))
    cases.forEach((one, index) => {
      if (isObject(one)) take(one["then"], ["cases", index, "then"]);
    });
  if (isObject(step["group"])) take(step["group"]["steps"], ["group", "steps"]);
  take(step["catch"], ["catch"]);
  return found;
}

/** The lists of steps inside a step that is made ready. */
export function innerSteps(step: Step): (readonly Step[])[] {
  const own = (): (readonly Step[])[] => {
    switch (step.kind) {
      case "if":
        return [...step.cases.map(({ then }) => then), step.else];
      case "each":
      case "group":
        return [step.steps];
      default:
        return [];
    }
  };
  return step.catch ? [...own(), step.catch] : own();
}
