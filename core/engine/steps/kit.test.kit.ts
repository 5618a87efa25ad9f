import type { Json } from "../../values/json.js";
import type { Entry, EntryOf } from "../entries.js";
import { World, type Responder } from "../fakes.test.kit.js";

/** A run of a workflow whose steps are these. */
export const world = (steps: string, respond?: Responder, head = ""): World =>
  new World(`copper-kettle: 1\nname: test\n${head}steps:\n${steps}`, respond);

export const ended = (it: World, path: string): EntryOf<"ended"> | undefined =>
  it.entries().find((item): item is EntryOf<"ended"> => item.type === "ended" && item.path === path);
export const outcomeOf = (it: World, path: string): Json | undefined => ended(it, path)?.outcome;
export const finished = (it: World): EntryOf<"finished"> | undefined =>
  it.entries().find((entry): entry is EntryOf<"finished"> => entry.type === "finished");
export const urls = (it: World): string[] => it.sent.map(({ url }) => url.replace("https://a.example", ""));
export const decide = (it: World, path: string, decision: "again" | "happened" | "skip"): void =>
  it.add({ type: "decided", at: it.time, path, decision, by: "Marit" } as Entry);
