import type { CredentialInfo } from "@copper-kettle/contract";
import { randomUUID } from "node:crypto";
import type { Trouble } from "../store/troubles.js";

/** Something that a person should know; a CloudEvent (version 1.0.2) with a sentence for mail. */
export interface Message {
  id: string;
  /** `copper-kettle.run.failed` and so on. */
  type: string;
  /** RFC 3339. */
  time: string;
  /** The workflow or the credential. */
  subject: string;
  title: string;
  text: string;
  data: { [key: string]: string | null };
}

export interface RunTold {
  run: string;
  workflow: string;
  state: "failed" | "unsure" | "parked" | "skipped";
  message: string | null;
  /** The step at which it failed, or of which nobody knows. */
  step: string | null;
}

/** What a person does about it. */
function toDo({ run, state, step }: RunTold): string {
  const from = step === null ? "" : ` --from ${step}`;
  switch (state) {
    case "failed":
      return `See there what was sent and what came back. When the cause is mended: ckettle run again ${run}${from}`;
    case "unsure":
      return `Look at the API whether it happened, then decide there, or by: ckettle run decide ${run} happened | again | skip | stop`;
    case "parked":
      return `When the cause is mended, resume it there, or by: ckettle run resume ${run}`;
    case "skipped":
      return "Nothing was started. The trigger's events say why.";
  }
}

const said: Record<RunTold["state"], string> = {
  failed: "failed",
  unsure: "is unsure: we cannot tell whether a call was carried out, and a person must decide",
  parked: "is parked until somebody resumes it",
  skipped: "did not happen",
};

export function runMessage(told: RunTold, console: string): Message {
  const { run, workflow, state, message, step } = told;
  const url = `${console}/runs/${run}`;
  return {
    id: randomUUID(),
    type: `copper-kettle.run.${state}`,
    time: new Date().toISOString(),
    subject: workflow,
    title: `${workflow}: a run ${state === "unsure" || state === "parked" ? `is ${state}` : (said[state] ?? state)}`,
    text: `A run of ${workflow} ${said[state]}.\n\n${step === null ? "" : `Step ${step}. `}${message ?? ""}\n\n${url}\n\n${toDo(told)}\n\nYou will get no further message about this workflow until one of its runs succeeds.`,
    data: { workflow, run, state, step, message, url },
  };
}

export function credentialMessage(
  name: string,
  state: CredentialInfo["state"],
  sentence: string,
  console: string,
): Message {
  const url = `${console}/credentials/${name}`;
  return {
    id: randomUUID(),
    type: "copper-kettle.credential.failing",
    time: new Date().toISOString(),
    subject: name,
    title: `The credential ${name} needs attention`,
    text: `${sentence}\n\n${url}`,
    data: { credential: name, state, message: sentence, url },
  };
}

export function triggerMessage({ workflow, trigger, sentence }: Trouble, console: string): Message {
  const url = `${console}/workflows/${workflow}`;
  return {
    id: randomUUID(),
    type: "copper-kettle.trigger.failing",
    time: new Date().toISOString(),
    subject: workflow,
    title: `${workflow}: the trigger ${trigger} needs attention`,
    text: `${sentence}\n\n${url}\n\nYou will get no further message about this trigger until it is well again.`,
    data: { workflow, trigger, message: sentence, url },
  };
}

/** @param room such as `12 GB of 100 GB` */
export function diskMessage(folder: string, room: string, console: string): Message {
  return {
    id: randomUUID(),
    type: "copper-kettle.disk.low",
    time: new Date().toISOString(),
    subject: "copper-kettle",
    title: "The disk of Copper Kettle is filling up",
    text: `The disk of the data folder ${folder} has ${room} left. Below 500 MB no run begins or goes on.\n\n${console}`,
    data: { folder, room, url: console },
  };
}

export function tryMessage(console: string): Message {
  return {
    id: randomUUID(),
    type: "copper-kettle.try",
    time: new Date().toISOString(),
    subject: "copper-kettle",
    title: "Copper Kettle can reach you",
    text: `This is a test notification of Copper Kettle.\n\n${console}`,
    data: { url: console },
  };
}
