<script setup lang="ts">
import { when, whenExactly } from "../../logic/format.js";

/** A time: short in the list, in full with its zone to whoever points at it. */
defineProps<{ at: string | null }>();
</script>

<template>
  <time v-if="at" :datetime="at" :title="whenExactly(at)">{{ when(at) }}</time>
</template>
