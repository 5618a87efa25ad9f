import { runsRoutes, type RunOptionsInput } from "@copper-kettle/contract";
import { inputNames, isObject, type JsonObject } from "@copper-kettle/core";
import { computed, ref, watch, type ComputedRef, type Ref } from "vue";
import { api, fieldMessages, sentence } from "../api.js";
import { fieldsOf, formValues, initialValues, readForm, type FormField } from "../logic/schema-form.js";
import type { Breakpoints } from "./breakpoints.js";
import type { WorkflowDocument } from "./document.js";
import type { RunValues } from "./values.js";

/** What is tested: one step with the results of the chosen run, all steps down to one, or the whole. */
export type Extent =
  { what: "step"; step: string; item?: number } | { what: "to"; step: string } | { what: "all" };

/** Tests of the draft from within the editor; what came back appears in place. */
export interface Testing {
  fields: ComputedRef<FormField[]>;
  inputs: Ref<Record<string, unknown>>;
  faults: Ref<Record<string, string>>;
  fault: Ref<string>;
  busy: Ref<boolean>;
  /** Whether the inputs are asked for. */
  asks: Ref<boolean>;
  run: (extent: Extent, more?: RunOptionsInput) => Promise<void>;
}

export function useTesting(document: WorkflowDocument, values: RunValues, breakpoints: Breakpoints): Testing {
  const inputs = ref<Record<string, unknown>>({});
  const faults = ref<Record<string, string>>({});
  const fault = ref("");
  const busy = ref(false);
  const asks = ref(false);
  const schema = computed<JsonObject | null>(() => {
    const found = document.lines.value.length > 0 ? document.valueAt(["inputs"]) : undefined;
    return isObject(found ?? null) ? (found as JsonObject) : null;
  });
  const fields = computed(() => fieldsOf(schema.value));
  watch(
    schema,
    (now) => {
      for (const [name, value] of Object.entries(initialValues(now))) inputs.value[name] ??= value;
    },
    { immediate: true },
  );
  // What the chosen run was given is what a test begins with, where nothing else was typed.
  let filling: Promise<void> = Promise.resolve();
  watch([values.chosen, () => fields.value.map(({ name }) => name).join()], ([id]) => {
    filling = fill(id);
  });
  async function fill(id: string | null): Promise<void> {
    const isTyped = (one: unknown): boolean => one !== undefined && one !== "" && !isUsual(one);
    if (id === null || Object.values(inputs.value).some(isTyped)) return;
    const found = await api.call(runsRoutes.run, { params: { id } }).catch(() => undefined);
    const given = isObject(found?.inputs ?? null) ? (found?.inputs as JsonObject) : {};
    for (const [name, value] of Object.entries(formValues(schema.value, given)))
      if (!String(value).includes("•••")) inputs.value[name] = value;
  }
  const isUsual = (value: unknown): boolean => Object.values(initialValues(schema.value)).includes(value);

  async function run(extent: Extent, more: RunOptionsInput = {}): Promise<void> {
    fault.value = "";
    await filling;
    const read = readForm(fields.value, inputs.value);
    faults.value = read.faults;
    const isNeeded = extent.what !== "step" || values.chosen.value === null;
    if (Object.keys(read.faults).length > 0 && isNeeded) return void (asks.value = true);
    busy.value = true;
    try {
      if (!(await document.save()))
        throw new Error("The draft could not be saved, so that it cannot be tested.");
      const known = new Set(
        isObject(document.valueAt([]) ?? null) ? inputNames(document.valueAt([]) as JsonObject) : [],
      );
      const given = Object.fromEntries(Object.entries(read.inputs).filter(([name]) => known.has(name)));
      const steps = document.lines.value.filter(({ what }) => what === "step").map(({ name }) => name);
      const options: RunOptionsInput = { ...breakpoints.options(new Set(steps)), ...more };
      if (extent.what === "to") options.to = extent.step;
      if (extent.what === "step") {
        options.only = { step: extent.step, ...(extent.item === undefined ? {} : { item: extent.item }) };
        if (values.chosen.value !== null) options.fixedFrom = values.chosen.value;
      }
      const started = await api.call(runsRoutes.startRun, {
        params: { name: document.name },
        body: { inputs: given, draft: true, ...(Object.keys(options).length > 0 ? { options } : {}) },
      });
      asks.value = false;
      await values.load();
      values.chosen.value = started.id;
    } catch (error) {
      faults.value = fieldMessages(error);
      if (Object.keys(faults.value).some((name) => fields.value.some((field) => field.name === name)))
        asks.value = true;
      else fault.value = sentence(error);
    } finally {
      busy.value = false;
    }
  }
  return { fields, inputs, faults, fault, busy, asks, run };
}
