import { workflowsRoutes, Unreachable, type WorkflowDetail } from "@copper-kettle/contract";
import {
  printPath,
  valueAt,
  type BrokenRead,
  type EditorLine,
  type Json,
  type Path,
  type Problem,
} from "@copper-kettle/core";
import { computed, onScopeDispose, reactive, ref, shallowRef, watch, type ComputedRef, type Ref } from "vue";
import { api, isConflict, sentence, shared } from "../api.js";
import { ask, Refused } from "./asking.js";
import { readKept, writeKept } from "./kept.js";
import { sameLines } from "./same-lines.js";
import type { Action, Outlined } from "./messages.js";

/** How the text stands to what the service has. */
export type Saving = "saved" | "changed" | "saving" | "away" | "conflict" | "refused";

/** A workflow's text as it is edited: one history for all views, saved by itself. */
export interface WorkflowDocument {
  name: string;
  text: Ref<string>;
  workflow: Ref<WorkflowDetail | undefined>;
  /** Of the last text that could be read; `isOld` while the text itself cannot be. */
  lines: ComputedRef<EditorLine[]>;
  isOld: ComputedRef<boolean>;
  problems: ComputedRef<Problem[]>;
  /** Whether all of it belongs to the text as it is now. */
  isFresh: ComputedRef<boolean>;
  /** Whether an edit is being made that is not in the text yet. */
  isEditing: ComputedRef<boolean>;
  saving: Ref<Saving>;
  savedAt: Ref<string>;
  /** The draft as somebody else left it, where it is not the one that the text began from. */
  theirs: Ref<WorkflowDetail | undefined>;
  /** What could not be done, and why; and what a person should know of the last edit. */
  fault: Ref<string>;
  notes: Ref<string[]>;
  /** What steps read in vain since steps were moved, added or taken away; some of it may be right again. */
  broken: Ref<BrokenRead[]>;
  canUndo: ComputedRef<boolean>;
  canRedo: ComputedRef<boolean>;
  valueAt: (path: Path) => Json | undefined;
  /** Makes an edit; gives where one goes on, or undefined if it was refused. */
  act: (action: Action) => Promise<Path | undefined>;
  type: (text: string) => void;
  undo: () => void;
  redo: () => void;
  /** Fields in which something is typed that is no edit yet: each gives it when it is called. */
  typing: Set<() => void>;
  /** Somebody types in a field: the text is not saved any more, though it is still the same. */
  touch: () => void;
  /** Saves at once, and waits until that is done. False if it could not be saved. */
  save: () => Promise<boolean>;
  take: (next: WorkflowDetail) => void;
  takeTheirs: () => void;
  keepMine: () => void;
}

/** So long after the last change the text is saved, and so long after a failure it is tried again, in milliseconds. */
const pause = 1_000;
const again = 3_000;
/** So long after the last key the text is read. */
const readPause = 30;
const mostSteps = 500;
/** Keys that follow each other within so many milliseconds are one step of the history. */
const oneStep = 700;

export function useDocument(name: string): WorkflowDocument {
  const params = { name };
  const text = ref("");
  const workflow = ref<WorkflowDetail>();
  const outlined = shallowRef<Outlined>();
  const good = shallowRef<Outlined>();
  const checked = shallowRef<{ text: string; problems: Problem[] }>();
  const saving = ref<Saving>("saved");
  const savedAt = ref("");
  const theirs = ref<WorkflowDetail>();
  const fault = ref("");
  const notes = ref<string[]>([]);
  const broken = ref<BrokenRead[]>([]);
  const history = reactive({ past: [] as string[], future: [] as string[] });
  let base = 0;
  let saved = "";
  let typedIn: string | undefined;
  let typedAt = 0;
  let saveTimer: ReturnType<typeof setTimeout> | undefined;
  let readTimer: ReturnType<typeof setTimeout> | undefined;
  let isGone = false;
  onScopeDispose(() => {
    isGone = true;
    clearTimeout(readTimer);
    if (saveTimer !== undefined) void save();
  });

  async function open(): Promise<void> {
    try {
      const found = await api.call(workflowsRoutes.workflow, { params });
      const kept = await readKept(name);
      workflow.value = found;
      saved = found.text;
      base = kept?.base ?? found.revision;
      text.value = kept?.text ?? found.text;
      if (kept && kept.text !== found.text) {
        if (kept.base !== found.revision) conflictWith(found);
        else later();
      }
    } catch (error) {
      fault.value = sentence(error);
    }
  }
  void open();

  watch(text, (now) => {
    clearTimeout(readTimer);
    readTimer = setTimeout(() => now !== reading && void read(now), outlined.value ? readPause : 0);
  });
  /** The text that was read last, or is being read. */
  let reading: string | undefined;
  /** Its lines first: what is wrong with it takes longer to find out. @param edit what an edit gives of both */
  async function read(now: string, edit?: { lines: string; problems: Promise<Problem[]> }): Promise<void> {
    reading = now;
    try {
      const found = edit?.lines ?? ask("outline", { text: now });
      const problems = edit?.problems ?? ask("check", { text: now });
      // Where the lines cannot be had, nobody asks for this one.
      problems.catch(() => undefined);
      const next = JSON.parse(await found) as Outlined;
      if (isGone || now !== text.value) return;
      next.lines = sameLines(good.value?.lines, next.lines);
      outlined.value = next;
      if (next.lines) good.value = next;
      void problems.then(
        (list) => {
          if (!isGone && now === text.value) checked.value = { text: now, problems: list };
        },
        (error: unknown) => {
          fault.value = sentence(error);
        },
      );
    } catch (error) {
      fault.value = sentence(error);
    }
  }

  /**
   * Puts another text in the place of the one that is there, as a step of the history: the same one as the last while
   * somebody goes on typing in one place.
   */
  function put(next: string, place?: string): void {
    if (next === text.value) return;
    const now = Date.now();
    if (place === undefined || place !== typedIn || now - typedAt > oneStep) {
      history.past.push(text.value);
      if (history.past.length > mostSteps) history.past.shift();
    }
    [typedIn, typedAt] = [place, now];
    history.future = [];
    change(next);
  }
  function change(next: string): void {
    text.value = next;
    void writeKept(name, { text: next, base, at: Date.now() });
    if (saving.value !== "conflict") saving.value = "changed";
    later();
  }
  function undo(): void {
    const before = history.past.pop();
    if (before === undefined) return;
    history.future.push(text.value);
    typedIn = undefined;
    change(before);
  }
  function redo(): void {
    const next = history.future.pop();
    if (next === undefined) return;
    history.past.push(text.value);
    typedIn = undefined;
    change(next);
  }

  let queue: Promise<unknown> = Promise.resolve();
  /** Edits that are not in the text yet. */
  const underWay = ref(0);
  /** One after another: each edit is of the text that the one before made. */
  function act(action: Action): Promise<Path | undefined> {
    touch();
    underWay.value++;
    const done = queue.then(async () => {
      fault.value = "";
      for (let tries = 0; tries < 3; tries++) {
        const before = text.value;
        try {
          const asked = ask("edit", { text: before, action });
          const problems = ask("checkEdited", {});
          problems.catch(() => undefined);
          const edited = await asked;
          // Somebody typed meanwhile: the edit is made anew, of what is there now.
          if (text.value !== before) continue;
          put(edited.text, action.do === "set" ? printPath(action.path) : undefined);
          notes.value = edited.notes;
          if (edited.broken) broken.value = edited.broken;
          await read(text.value, { lines: edited.outlined, problems });
          return edited.path;
        } catch (error) {
          if (!(error instanceof Refused)) throw error;
          fault.value = error.message;
          return undefined;
        }
      }
      return undefined;
    });
    queue = done.catch(() => undefined).finally(() => underWay.value--);
    return done;
  }

  function later(after = pause): void {
    clearTimeout(saveTimer);
    saveTimer = setTimeout(() => void save(), after);
  }
  let running: Promise<boolean> | undefined;
  const typing = new Set<() => void>();
  function touch(): void {
    if (saving.value === "saved") saving.value = "changed";
    later();
  }
  async function save(): Promise<boolean> {
    // What is typed at this moment belongs to it.
    for (const give of typing) give();
    await queue;
    clearTimeout(saveTimer);
    saveTimer = undefined;
    while (running) await running;
    if (saving.value === "conflict") return false;
    if (text.value === saved) {
      saving.value = "saved";
      void writeKept(name, undefined);
      return true;
    }
    running = send();
    try {
      return await running;
    } finally {
      running = undefined;
    }
  }
  async function send(): Promise<boolean> {
    const sent = text.value;
    saving.value = "saving";
    try {
      taken(await api.call(workflowsRoutes.pushWorkflow, { params, body: { text: sent, base } }), sent);
      return true;
    } catch (error) {
      if (isConflict(error)) conflictWith(await api.call(workflowsRoutes.workflow, { params }));
      else if (error instanceof Unreachable || !shared.signedIn) {
        saving.value = "away";
        if (!isGone) later(again);
      } else {
        saving.value = "refused";
        fault.value = sentence(error);
      }
      return false;
    }
  }
  function taken(next: WorkflowDetail, sent: string): void {
    workflow.value = next;
    base = next.revision;
    saved = sent;
    savedAt.value = new Date().toISOString();
    if (text.value === sent) {
      saving.value = "saved";
      void writeKept(name, undefined);
    } else {
      void writeKept(name, { text: text.value, base, at: Date.now() });
      later();
    }
  }
  function conflictWith(found: WorkflowDetail): void {
    if (found.text === text.value) return take(found);
    theirs.value = found;
    saving.value = "conflict";
  }
  /** The draft is another one now: published, put back, adopted. */
  function take(next: WorkflowDetail): void {
    theirs.value = undefined;
    if (text.value !== next.text) {
      history.past.push(text.value);
      history.future = [];
      typedIn = undefined;
    }
    text.value = next.text;
    taken(next, next.text);
  }

  const isEditing = computed(() => underWay.value > 0);
  const fresh = computed(() => !isEditing.value && checked.value?.text === text.value);
  return {
    name,
    text,
    workflow,
    lines: computed(() => good.value?.lines ?? []),
    isOld: computed(() => outlined.value !== undefined && outlined.value.lines === undefined),
    problems: computed(() => checked.value?.problems ?? []),
    isFresh: fresh,
    isEditing,
    saving,
    savedAt,
    theirs,
    fault,
    notes,
    broken,
    canUndo: computed(() => history.past.length > 0),
    canRedo: computed(() => history.future.length > 0),
    valueAt: (path) => (good.value?.value === undefined ? undefined : valueAt(good.value.value, path)),
    act,
    type: (next) => put(next, "text"),
    undo,
    redo,
    typing,
    touch,
    save,
    take,
    takeTheirs: () => theirs.value && take(theirs.value),
    keepMine: () => {
      if (!theirs.value) return;
      workflow.value = theirs.value;
      base = theirs.value.revision;
      saved = theirs.value.text;
      theirs.value = undefined;
      saving.value = "changed";
      later(0);
    },
  };
}
