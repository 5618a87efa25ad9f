import type {
  BrokenRead,
  CallMessage,
  Edited,
  EditorLine,
  FieldFinding,
  Json,
  JsonObject,
  Part,
  Path,
  Problem,
  StepPlace,
  Wrapper,
} from "@copper-kettle/core";

import type { Completable } from "../logic/expression-completion.js";

/** An edit of the text that is worked out beside the page. */
export type Action =
  | { do: "set"; path: Path; value: Json }
  | { do: "unset"; path: Path }
  | { do: "rename-key"; path: Path; key: string }
  | { do: "replace"; path: Path; key: string; value: Json }
  | { do: "add"; place: StepPlace; step: JsonObject }
  | { do: "paste"; place: StepPlace; text: string }
  | { do: "remove"; path: Path }
  | { do: "move"; path: Path; place: StepPlace }
  | { do: "shift"; path: Path; by: -1 | 1 }
  | { do: "duplicate"; path: Path }
  | { do: "wrap"; path: Path; wrapper: Wrapper }
  | { do: "wrap-rest"; path: Path; loop: JsonObject }
  | { do: "unwrap"; path: Path }
  | { do: "rename"; from: string; to: string }
  | { do: "read-instead"; path: Path; from: string; to: string };

/** What a text holds. */
export interface Outlined {
  /** Undefined while the text cannot be read. */
  lines: EditorLine[] | undefined;
  value: Json | undefined;
}

/** An expression, or a value with `${…}` in its texts as JSON, as it is worked out on the values of a run. */
export interface Worked {
  value?: Json;
  /** What an expression gives, cut where it is long. */
  shown?: string;
  /** Why it has no value with those of this run. */
  fault?: string;
  /** What is wrong with it whatever the values are. */
  findings?: FieldFinding[];
}

/** A loop around a line, and which item of it is looked at. */
export interface LoopAround {
  name: string;
  /** The expression of its list. */
  each: string;
  as: string;
  item: number;
}

/** A part of an expression; what it gives is cut where it is long. */
export interface ShownPart extends Omit<Part, "value"> {
  shown?: string;
}

export interface Completed {
  from: number;
  options: Completable[];
}

/** What is worked out on the values that the page shows. */
export interface Code<Kind> {
  code: string;
  kind: Kind;
  /** The step whose response the expression is about: it sees its status, headers and body. */
  response?: string;
}

/** What the page asks, and what it is answered. */
export interface Asked {
  /** What a text holds, as the JSON of `Outlined`. */
  outline: { ask: { text: string }; answer: string };
  /** What is wrong with a text. */
  check: { ask: { text: string }; answer: Problem[] };
  /** The same of the text that the last edit gave; asked together with it, so that it begins before the page has the text. */
  checkEdited: { ask: Record<string, never>; answer: Problem[] };
  /** With what the text holds then. */
  edit: {
    ask: { text: string; action: Action };
    answer: Edited & { broken?: BrokenRead[]; outlined: string };
  };
  /** What would be read in vain after an edit, and is not now. */
  broken: { ask: { text: string; action: Action }; answer: BrokenRead[] };
  copy: { ask: { text: string; path: Path }; answer: string };
  /** In the whole text, at an offset. */
  completeText: { ask: { text: string; at: number }; answer: Completed };
  /** In one field, of the step at a line. */
  completeField: {
    ask: { text: string; line: number; kind: "expression" | "template"; code: string; at: number };
    answer: Completed;
  };
  /**
   * The steps, inputs and variables that can be read at a line, and samples of them as JSON: expressions see those where a run has none.
   * Of a call, what will happen when it does not succeed at once, in sentences.
   */
  scope: {
    ask: { text: string; line: number };
    answer: { names: string[]; samples: string; words: string[] };
  };
  /** The HTTP message that the call at a line makes with the values at hand; nothing where there is no call. */
  message: { ask: { text: string; line: number }; answer: CallMessage | null };
  /** The values of a run and the constants, each as JSON: expressions are worked out on them from now on. */
  values: { ask: { json: string; constants: string }; answer: null };
  /** The steps in whose values a text is, in whatever case. */
  search: { ask: { text: string }; answer: string[] };
  /** The items of the loops around a line, the outermost first, as JSON: expressions see them from now on. */
  loops: { ask: { loops: LoopAround[] }; answer: { locals: string; sizes: (number | undefined)[] } };
  /** With the field that it stands in, it is also checked there. */
  work: { ask: Code<"expression" | "template" | "value"> & { field?: string }; answer: Worked };
  /** An expression taken apart, with what each part of it gives; what is wrong with it where it cannot be read. */
  unfold: { ask: Code<"expression" | "template">; answer: ShownPart[] | string };
}

export type What = keyof Asked;
export interface Question {
  id: number;
  what: What;
  ask: Asked[What]["ask"];
}
export type Answer = { id: number; answer: unknown } | { id: number; fault: string };
