<script setup lang="ts">
/** A workflow in a list: its title, and its name in mono beside it. */
defineProps<{ name: string; title: string }>();
</script>

<template>
  <b v-if="title !== name" class="mr-1">{{ title }}</b>{{ " "
  }}<span class="mono" :class="{ dim: title !== name }">{{ name }}</span>
</template>
