<script setup lang="ts">
/** The keys of the editor. */
const open = defineModel<boolean>({ required: true });
const keys = [
  ["↑ ↓", "the line before, the next line"],
  ["→ ←", "unfold the values of a line, fold them"],
  ["Enter", "edit the chosen line"],
  ["Ctrl+Enter", "add a step behind it"],
  ["Alt+↑ Alt+↓", "move the step, also out of and into branches"],
  ["Delete", "remove the step"],
  ["Ctrl+D", "duplicate the step"],
  ["Ctrl+C Ctrl+X Ctrl+V", "copy, cut and paste steps, as YAML"],
  ["Ctrl+Z Ctrl+Y", "undo, redo: of all views"],
  ["Ctrl+S", "save at once"],
  ["F8", "the next problem"],
  ["F9", "test the chosen step; Shift+F9: all"],
  ["B", "let tests pause before the chosen step, or no more"],
  ["F10", "of a paused test: the next step; Shift+F10: the next item; Ctrl+F10: continue"],
  ["Alt+Enter", "in a field: what its expression does, part by part"],
  ["/", "search everything"],
  ["?", "this list"],
] as const;
</script>

<template>
  <v-dialog v-model="open" max-width="520">
    <v-card class="pa-4">
      <h2 class="mb-2">Keys</h2>
      <table class="lines">
        <tbody>
          <tr v-for="[key, what] in keys" :key="key">
            <td class="text-no-wrap">
              <kbd>{{ key }}</kbd>
            </td>
            <td>{{ what }}</td>
          </tr>
        </tbody>
      </table>
      <div class="d-flex ga-3 mt-3 align-center">
        <v-btn @click="open = false">Close</v-btn>
        <router-link to="/help/editor">Help for the editor</router-link>
      </div>
    </v-card>
  </v-dialog>
</template>
