import { readList, writeList } from "../logic/browser-list.js";
import type { RunOptionsInput } from "@copper-kettle/contract";
import { readonly, ref, type DeepReadonly, type Ref } from "vue";

/** Where tests of a workflow pause: before a step, of all items or of one, always or where an expression is true. */
export interface EditorBreakpoint {
  step: string;
  item?: number;
  when?: string;
}

/** The breakpoints of one workflow. They belong to the person in this browser, and not to the file. */
export interface Breakpoints {
  all: DeepReadonly<Ref<EditorBreakpoint[]>>;
  of: (step: string) => EditorBreakpoint | undefined;
  /** Sets one in the place of the one that the step has, or takes it away. */
  set: (step: string, breakpoint: EditorBreakpoint | undefined) => void;
  /** A step has another name now. */
  rename: (from: string, to: string) => void;
  /** Those of the steps that there are, as a test is given them. */
  options: (steps: ReadonlySet<string>) => Pick<RunOptionsInput, "breakpoints">;
}

const isBreakpoint = (one: unknown): one is EditorBreakpoint =>
  typeof (one as EditorBreakpoint | null)?.step === "string";

export function useBreakpoints(workflow: string): Breakpoints {
  const key = `copper-kettle.breakpoints.${workflow}`;
  const all = ref<EditorBreakpoint[]>(readList(key, isBreakpoint));
  function put(next: EditorBreakpoint[]): void {
    all.value = next;
    writeList(key, next);
  }
  const others = (step: string): EditorBreakpoint[] => all.value.filter((one) => one.step !== step);
  return {
    all: readonly(all),
    of: (step) => all.value.find((one) => one.step === step),
    set: (step, breakpoint) => put(breakpoint ? [...others(step), breakpoint] : others(step)),
    rename: (from, to) => put(all.value.map((one) => (one.step === from ? { ...one, step: to } : one))),
    options(steps) {
      const found = all.value.filter(({ step }) => steps.has(step)).map((one) => ({ ...one }));
      return found.length === 0 ? {} : { breakpoints: found };
    },
  };
}
