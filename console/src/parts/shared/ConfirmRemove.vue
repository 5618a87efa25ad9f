<script setup lang="ts">
import { ref } from "vue";

/** A button that removes something for good: it asks first, and says what will follow. */
defineProps<{
  /** What the button and the dialog say, such as "Remove credential". */
  title: string;
  /** What the button says if there is no room for all of it. */
  short?: string;
  /** What will follow, a sentence each. */
  consequences: string[];
  busy?: boolean;
  disabled?: boolean;
  small?: boolean;
}>();
const emit = defineEmits<{ confirmed: [] }>();
const open = ref(false);
/** What has the focus when it opens takes nothing away. */
const cancel = ref<{ $el: HTMLElement }>();

function confirm(): void {
  open.value = false;
  emit("confirmed");
}
</script>

<template>
  <v-btn
    color="error"
    :size="small ? 'small' : 'default'"
    :loading="busy ?? false"
    :disabled="disabled ?? false"
    :aria-label="title"
    @click="open = true"
    >{{ short ?? title }}</v-btn
  >
  <v-dialog v-model="open" max-width="34rem" @after-enter="cancel?.$el.focus()">
    <v-card class="pa-4" role="alertdialog" :aria-label="title">
      <h2 class="mb-2">{{ title }}?</h2>
      <p v-for="one in consequences" :key="one" class="mb-2">{{ one }}</p>
      <div class="buttons">
        <v-btn ref="cancel" @click="open = false">Cancel</v-btn>
        <v-btn color="error" variant="flat" @click="confirm">{{ title }}</v-btn>
      </div>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.buttons {
  display: flex;
  justify-content: flex-end;
  gap: 8px;
}
</style>
