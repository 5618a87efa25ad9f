<script setup lang="ts">
import type { Activity } from "@copper-kettle/contract";
import { when } from "../../logic/format.js";

defineProps<{ activity: Activity[]; withName?: boolean }>();
</script>

<template>
  <p v-if="activity.length === 0" class="dim">Nothing yet.</p>
  <table v-else class="lines">
    <thead>
      <tr>
        <th>When</th>
        <th>Who</th>
        <th v-if="withName">Object</th>
        <th>Action</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="item in activity" :key="item.id">
        <td class="text-no-wrap">{{ when(item.at) }}</td>
        <td>{{ item.by }}</td>
        <td v-if="withName">
          <router-link v-if="item.kind === 'credential'" :to="`/credentials/${item.name}`">{{
            item.name
          }}</router-link>
          <router-link v-else-if="item.kind === 'workflow'" :to="`/workflows/${item.name}`">{{
            item.name
          }}</router-link>
          <template v-else>{{ item.name }}</template>
        </td>
        <td>
          {{ item.action }}<span v-if="item.detail" class="dim"> – {{ item.detail }}</span>
          <router-link v-if="item.run" :to="`/runs/${item.run}`" class="ml-1">in a run</router-link>
        </td>
      </tr>
    </tbody>
  </table>
</template>
