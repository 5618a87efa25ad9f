<script setup lang="ts">
import { mdiHelpCircleOutline, mdiRedo, mdiUndo } from "@mdi/js";
import { computed, ref } from "vue";
import { useSession } from "../../editor/session.js";
import { usePresence } from "../../editor/presence.js";
import { when } from "../../logic/format.js";
import KeysHelp from "./KeysHelp.vue";

/** The head line of the editor: what state the draft is in, what is wrong with it, test and publish. */
/** Elsewhere than where it is built, another button of the page comes first. */
defineProps<{ building: boolean }>();
const emit = defineEmits<{ problem: []; publish: [] }>();
const { document, testing, inForce } = useSession();
const keys = ref(false);
const others = usePresence(document.name);
const workflow = computed(() => document.workflow.value);
/** In how many places. */
const changes = computed(() => {
  const count = inForce.changes.value;
  return count ? `: ${count} change${count === 1 ? "" : "s"}` : "";
});
const standing = computed(() => {
  const found = workflow.value;
  if (!found) return "";
  if (found.published === null) return "Draft, not published";
  return found.draft || document.saving.value !== "saved"
    ? `Draft, differs from version ${found.published}${changes.value}`
    : `Version ${found.published} is in force`;
});
const saved = computed(() => {
  switch (document.saving.value) {
    case "saved":
      return document.savedAt.value ? `saved ${when(document.savedAt.value)}` : "saved";
    case "changed":
    case "saving":
      return "saving …";
    case "away":
      return "not saved: the service does not respond, trying again";
    case "conflict":
      return "not saved: somebody else changed it";
    case "refused":
      return "not saved";
  }
  return "";
});
const counts = computed(() => {
  const of = (severity: string): number =>
    document.problems.value.filter((one) => one.severity === severity).length;
  return { errors: of("error"), warnings: of("warning") };
});
const words = computed(() => {
  const { errors, warnings } = counts.value;
  const count = (number: number, word: string): string =>
    number === 0 ? "" : `${number} ${word}${number === 1 ? "" : "s"}`;
  return [count(errors, "problem"), count(warnings, "warning")].filter(Boolean).join(", ");
});
defineExpose({ showKeys: () => (keys.value = true) });
</script>

<template>
  <span class="dim">{{ standing }}</span>
  <span
    :class="['away', 'conflict', 'refused'].includes(document.saving.value) ? 'text-warning' : 'dim'"
    role="status"
    >· {{ saved }}</span
  >
  <span v-if="others" class="text-warning" role="status">· {{ others }}</span>
  <button
    v-if="words"
    type="button"
    class="mark"
    :class="counts.errors > 0 ? 'text-error' : 'text-warning'"
    @click="emit('problem')"
  >
    ▲ {{ words }} <kbd>F8</kbd>
  </button>
  <span class="buttons">
    <v-btn
      :icon="mdiUndo"
      size="small"
      variant="text"
      aria-label="Undo"
      title="Ctrl+Z"
      :disabled="!document.canUndo.value"
      @click="document.undo()"
    />
    <v-btn
      :icon="mdiRedo"
      size="small"
      variant="text"
      aria-label="Redo"
      title="Ctrl+Y"
      :disabled="!document.canRedo.value"
      @click="document.redo()"
    />
    <v-btn
      :icon="mdiHelpCircleOutline"
      size="small"
      variant="text"
      aria-label="Keys"
      title="?"
      @click="keys = true"
    />
    <v-btn :loading="testing.busy.value" @click="testing.asks.value = !testing.asks.value">Test …</v-btn>
    <v-btn
      :color="building ? 'primary' : undefined"
      :variant="building ? 'flat' : 'outlined'"
      :disabled="counts.errors > 0"
      @click="emit('publish')"
      >Publish …</v-btn
    >
  </span>
  <KeysHelp v-model="keys" />
</template>

<style scoped>
.buttons {
  display: flex;
  gap: 6px;
  align-items: center;
  margin-left: auto;
}
button.mark {
  cursor: pointer;
}
</style>
