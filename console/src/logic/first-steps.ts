import type { homeRoutes, OutputOf } from "@copper-kettle/contract";

type Counts = OutputOf<typeof homeRoutes.home>["firstSteps"];

/** What somebody new does one after another, each with its page, and whether it is done. */
export function firstSteps(counts: Counts): { done: boolean; text: string; how: string; to: string }[] {
  return [
    {
      done: counts.apis > 0,
      text: "Describe an API",
      how: "paste its OpenAPI document, or one request from its documentation",
      to: "/add-api",
    },
    {
      done: counts.credentials > 0,
      text: "Add a credential",
      how: "every kind of key, with a check that says what is wrong",
      to: "/add-credential",
    },
    { done: counts.tries > 0, text: "Try a call", how: "on the page of an operation", to: "/apis" },
    {
      done: counts.workflows > 0,
      text: "Make a workflow",
      how: "begin with what starts it, with an operation, or with a pasted request",
      to: "/add-workflow",
    },
    {
      done: counts.published > 0,
      text: "Publish it",
      how: "on its page, once it has no problems",
      to: "/workflows",
    },
    {
      done: counts.runs > 0,
      text: "Start a run",
      how: "on its page, with a form made from its inputs",
      to: "/workflows",
    },
  ];
}
