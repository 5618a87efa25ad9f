<script setup lang="ts">
/** A workflow in a list: its title, and where there is room its name in mono beside it. */
defineProps<{ name: string; title: string }>();
</script>

<template>
  <b v-if="title !== name" class="mr-1">{{ title }}</b>{{ " "
  }}<span class="mono" :class="{ 'dim wide': title !== name }">{{ name }}</span>
</template>
