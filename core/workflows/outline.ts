import { callsOf, innerSteps, triggerCalls } from "./nested.js";
import type { Step, Workflow } from "./steps.js";

/** One line of a workflow's outline. */
export interface OutlineLine {
  name: string;
  kind: string;
  title: string | null;
  /** The line of the file on which the step begins. */
  line: number;
  depth: number;
  /** What a call calls, as it stands in the file. */
  calls: string | null;
}

/** A call of an operation of a described API. */
export interface OperationCall {
  step: string;
  line: number;
  api: string;
  id: string;
  /** The credential that the step names; undefined if it leaves that to the API. */
  using: string[] | undefined;
}

/** The calls of operations, from top to bottom: of steps, and then of polls under the names of their triggers. */
export function operationCalls({ steps, triggers }: Pick<Workflow, "steps" | "triggers">): OperationCall[] {
  const polls = triggerCalls(triggers).flatMap(({ name, line, call: { operation, using } }) =>
    operation ? [{ step: name, line, ...operation, using }] : [],
  );
  return [...callsOfSteps(steps), ...polls];
}

function callsOfSteps(steps: readonly Step[]): OperationCall[] {
  return steps.flatMap((step) => {
    const own = callsOf(step).flatMap(({ operation, using }) =>
      operation ? [{ step: step.name, line: step.line, ...operation, using }] : [],
    );
    return [...own, ...innerSteps(step).flatMap(callsOfSteps)];
  });
}

/** The names of the APIs whose operations some steps call. */
export function calledApis(steps: readonly Step[]): string[] {
  return callsOfSteps(steps).map(({ api }) => api);
}

/** The names of the workflows that are called. */
export function calledWorkflows(steps: readonly Step[]): string[] {
  return steps.flatMap((step) => [
    ...(step.kind === "workflow" ? [step.called] : []),
    ...innerSteps(step).flatMap((inner) => calledWorkflows(inner)),
  ]);
}

/** The steps of a workflow from top to bottom, with how deep each is nested. */
export function outline(steps: readonly Step[], depth = 0): OutlineLine[] {
  return steps.flatMap((step) => {
    const line: OutlineLine = {
      name: step.name,
      kind: step.kind,
      title: step.title ?? null,
      line: step.line,
      depth,
      calls: callsOf(step)[0]?.url.source ?? (step.kind === "workflow" ? step.called : null),
    };
    return [line, ...innerSteps(step).flatMap((inner) => outline(inner, depth + 1))];
  });
}
