<script setup lang="ts">
import { clock, when, whenExactly } from "../../logic/format.js";

/** A time: short in the list, shorter still below its day, in full with its zone to whoever points at it. */
defineProps<{ at: string | null; belowDay?: boolean | undefined }>();
</script>

<template>
  <time v-if="at" :datetime="at" :title="whenExactly(at)">{{ belowDay ? clock(at) : when(at) }}</time>
</template>
