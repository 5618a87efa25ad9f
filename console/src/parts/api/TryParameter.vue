<script setup lang="ts">
import type { OperationDetail } from "@copper-kettle/contract";
import { choicesOf, parameterKind } from "../../logic/parameter-form.js";

/** The field of one parameter of a call that is tried. */
defineProps<{
  parameter: OperationDetail["parameters"][number];
  choices?: { title: string; value: unknown }[] | undefined;
  fault?: string | undefined;
}>();
/** Somebody wants the choices that another operation gives. */
const emit = defineEmits<{ choose: [] }>();
const typed = defineModel<unknown>();
</script>

<template>
  <v-select
    v-if="parameterKind(parameter) === 'choice'"
    v-model="typed"
    :items="choicesOf(parameter)"
    :label="parameter.title + (parameter.required ? ' *' : '')"
    :hint="parameter.about"
    clearable
    :error-messages="fault"
  />
  <v-combobox
    v-else-if="parameter.choicesFrom"
    v-model="typed"
    :items="choices ?? []"
    :return-object="false"
    :label="parameter.title + (parameter.required ? ' *' : '')"
    :hint="parameter.about ?? `Choices by ${parameter.choicesFrom.operation}`"
    clearable
    :error-messages="fault"
    @focus="emit('choose')"
  />
  <v-textarea
    v-else-if="parameterKind(parameter) !== 'text'"
    v-model="typed"
    rows="1"
    auto-grow
    :label="
      parameter.title +
      (parameterKind(parameter) === 'list' ? ' (one a line)' : ' (JSON)') +
      (parameter.required ? ' *' : '')
    "
    :hint="parameter.about"
    :error-messages="fault"
  />
  <v-text-field
    v-else
    v-model="typed"
    :label="parameter.title + (parameter.required ? ' *' : '')"
    :placeholder="parameter.default === undefined ? undefined : String(parameter.default)"
    :hint="parameter.about"
    :suffix="parameter.in"
    autocomplete="off"
    :error-messages="fault"
  />
</template>
