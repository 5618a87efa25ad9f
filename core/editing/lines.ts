import { isObject, own, type Json, type JsonObject } from "../values/json.js";
import { printPath, type Path } from "../values/paths.js";
import { triggerKinds } from "../workflows/document-triggers.js";
import { Source } from "../workflows/source.js";
import { stepKindOf } from "./steps.js";
import { summaryOf, triggerSummary } from "./summary.js";

/** One line of the outline of a text. */
export interface EditorLine {
  /** `file`: the workflow itself; `branch`: the head of a list of steps inside a step. */
  what: "file" | "trigger" | "step" | "branch";
  /** The place as a text: `steps[0].then[1]`; of a branch the place of its list. */
  id: string;
  path: Path;
  /** The line of the file. */
  line: number;
  depth: number;
  /** The kind of the step or trigger; of a branch its word: `then`, `else`, `case 1`, `catch`. */
  kind: string;
  name: string;
  title: string | null;
  summary: string;
}

/** The lines of a text; undefined while the text cannot be read. */
export function linesOf(text: string): EditorLine[] | undefined {
  const source = new Source(text);
  const value = source.value;
  if (!isObject(value)) return undefined;
  const lines: EditorLine[] = [
    {
      what: "file",
      id: "",
      path: [],
      line: 1,
      depth: 0,
      kind: "workflow",
      name: String(value["name"] ?? ""),
      title: textOf(value["title"]),
      summary: inputNames(value).join(", "),
    },
  ];
  const triggers = own(value, "triggers");
  if (isObject(triggers))
    for (const name of Object.keys(triggers)) {
      const trigger = triggers[name];
      if (!isObject(trigger)) continue;
      const path = ["triggers", name];
      lines.push({
        what: "trigger",
        id: printPath(path),
        path,
        line: source.line(path),
        depth: 0,
        kind: triggerKinds.find((kind) => kind in trigger) ?? "trigger",
        name,
        title: textOf(trigger["title"]),
        summary: triggerSummary(trigger, inputNames(value)),
      });
    }
  const visit = (list: Json[], path: Path, depth: number): void => {
    for (const [index, step] of list.entries()) {
      if (!isObject(step)) continue;
      const at = [...path, index];
      lines.push({
        what: "step",
        id: printPath(at),
        path: at,
        line: source.line(at),
        depth,
        kind: stepKindOf(step) ?? "step",
        name: String(step["step"] ?? ""),
        title: textOf(step["title"]),
        summary: summaryOf(step),
      });
      for (const branch of branchesOf(step)) {
        const inner = [...at, ...branch.path];
        if (branch.word !== "")
          lines.push({
            what: "branch",
            id: printPath(inner),
            path: inner,
            line: source.line(inner),
            depth: depth + 1,
            kind: branch.word,
            name: "",
            title: null,
            summary: branch.about,
          });
        visit(branch.list, inner, depth + 1);
      }
    }
  };
  const steps = own(value, "steps");
  if (Array.isArray(steps)) visit(steps, ["steps"], 0);
  return lines;
}

const textOf = (value: Json | undefined): string | null => (typeof value === "string" ? value : null);

/** The names of the inputs of a workflow. */
export function inputNames(value: JsonObject): string[] {
  const inputs = own(value, "inputs");
  const properties = isObject(inputs) ? own(inputs, "properties") : undefined;
  return isObject(properties) ? Object.keys(properties) : [];
}

interface Branch {
  /** Empty where the list needs no head of its own. */
  word: string;
  about: string;
  path: Path;
  list: Json[];
}

/** The lists of steps that a step has or may have; those without steps are there to be filled. */
function branchesOf(step: JsonObject): Branch[] {
  const list = (value: Json | undefined): Json[] => (Array.isArray(value) ? value : []);
  const found: Branch[] = [];
  if ("if" in step) {
    found.push({ word: "then", about: "", path: ["then"], list: list(own(step, "then")) });
    found.push({ word: "else", about: "", path: ["else"], list: list(own(step, "else")) });
  } else if ("cases" in step) {
    list(own(step, "cases")).forEach((one, index) => {
      if (isObject(one))
        found.push({
          word: `case ${index + 1}`,
          about: String(own(one, "if") ?? ""),
          path: ["cases", index, "then"],
          list: list(own(one, "then")),
        });
    });
    found.push({ word: "else", about: "", path: ["else"], list: list(own(step, "else")) });
  } else if ("each" in step)
    found.push({ word: "", about: "", path: ["steps"], list: list(own(step, "steps")) });
  const group = own(step, "group");
  if (isObject(group))
    found.push({ word: "", about: "", path: ["group", "steps"], list: list(own(group, "steps")) });
  const together = own(step, "together");
  const branches = isObject(together) ? own(together, "branches") : undefined;
  if (isObject(branches))
    for (const name of Object.keys(branches))
      found.push({
        word: `branch ${name}`,
        about: "",
        path: ["together", "branches", name],
        list: list(branches[name]),
      });
  if ("catch" in step)
    found.push({
      word: "catch",
      about: "where it failed in the end",
      path: ["catch"],
      list: list(own(step, "catch")),
    });
  return found;
}
