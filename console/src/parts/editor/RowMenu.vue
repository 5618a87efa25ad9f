<script setup lang="ts">
import type { EditorLine } from "@copper-kettle/core";
import type { Action } from "../../editor/messages.js";
import { useSession } from "../../editor/session.js";

/** What can be done with a line of the outline, each with its key. */
defineProps<{ line: EditorLine; target: HTMLElement | undefined; hasBreakpoint: boolean }>();
const emit = defineEmits<{ act: [action: Action]; copy: []; paste: []; breaks: [] }>();
const open = defineModel<boolean>({ required: true });
const { document } = useSession();
const wrappers = [
  { title: "Put into a loop", wrapper: "each" },
  { title: "Put into a condition", wrapper: "if" },
  { title: "Put into a group", wrapper: "group" },
] as const;
</script>

<template>
  <v-menu v-model="open" :target="target">
    <v-list density="compact">
      <template v-if="line.what === 'step'">
        <v-list-item
          title="Move up"
          subtitle="Alt+↑"
          @click="emit('act', { do: 'shift', path: line.path, by: -1 })"
        />
        <v-list-item
          title="Move down"
          subtitle="Alt+↓"
          @click="emit('act', { do: 'shift', path: line.path, by: 1 })"
        />
        <v-list-item
          title="Duplicate"
          subtitle="Ctrl+D"
          @click="emit('act', { do: 'duplicate', path: line.path })"
        />
        <v-list-item title="Copy" subtitle="Ctrl+C" @click="emit('copy')" />
        <v-list-item title="Paste behind it" subtitle="Ctrl+V" @click="emit('paste')" />
        <v-list-item
          v-for="one in wrappers"
          :key="one.wrapper"
          :title="one.title"
          @click="emit('act', { do: 'wrap', path: line.path, wrapper: one.wrapper })"
        />
        <v-list-item
          v-if="['each', 'if', 'group', 'cases', 'together'].includes(line.kind)"
          title="Take its steps out"
          @click="emit('act', { do: 'unwrap', path: line.path })"
        />
        <v-list-item
          :title="hasBreakpoint ? 'Pause before it: when …' : 'Let tests pause before it …'"
          subtitle="B"
          @click="emit('breaks')"
        />
        <v-list-item
          v-if="document.valueAt([...line.path, 'catch']) === undefined"
          title="Add a catch"
          @click="emit('act', { do: 'set', path: [...line.path, 'catch'], value: [] })"
        />
      </template>
      <v-list-item
        title="Delete"
        class="text-error"
        @click="
          emit(
            'act',
            line.what === 'step' ? { do: 'remove', path: line.path } : { do: 'unset', path: line.path },
          )
        "
      />
    </v-list>
  </v-menu>
</template>
