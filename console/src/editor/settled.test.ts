import type { EditorLine, Problem } from "@copper-kettle/core";
import { expect, it } from "vitest";
import { nextTick, ref, shallowRef } from "vue";
import type { WorkflowDocument } from "./document.js";
import { whenSettled } from "./settled.js";

it("works once for an edit, when its check has come, and at once for another line", async () => {
  const lineOf = (id: string): EditorLine => ({ id }) as EditorLine;
  const line = shallowRef<EditorLine | undefined>(lineOf("steps[0]"));
  const problems = shallowRef<Problem[]>([]);
  const isFresh = ref(true);
  const more = ref(0);
  const worked: (string | undefined)[] = [];
  whenSettled(
    { problems, isFresh } as unknown as WorkflowDocument,
    line,
    () => [more.value],
    async (at) => void worked.push(at?.id),
  );
  const after = async (change: () => void): Promise<typeof worked> => {
    change();
    await nextTick();
    return worked.splice(0);
  };
  expect(await after(() => undefined)).toEqual(["steps[0]"]);
  // An edit: the text first, then its lines, at last what is wrong with it.
  expect(await after(() => (isFresh.value = false))).toEqual([]);
  expect(await after(() => (line.value = lineOf("steps[0]")))).toEqual([]);
  expect(await after(() => more.value++)).toEqual([]);
  expect(await after(() => ((problems.value = []), (isFresh.value = true)))).toEqual(["steps[0]"]);
  expect(await after(() => more.value++)).toEqual(["steps[0]"]);
  // A text that is again the one that was checked last has no new check.
  expect(await after(() => ((isFresh.value = false), more.value++))).toEqual([]);
  expect(await after(() => (isFresh.value = true))).toEqual(["steps[0]"]);
  // Another line does not wait for it.
  expect(await after(() => ((isFresh.value = false), (line.value = lineOf("steps[1]"))))).toEqual([
    "steps[1]",
  ]);
  expect(await after(() => (line.value = undefined))).toEqual([undefined]);
});
