<script setup lang="ts">
import type { Activity } from "@copper-kettle/contract";
import DayRow from "./DayRow.vue";
import TimeText from "./TimeText.vue";

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
      <template v-for="(item, index) in activity" :key="item.id">
        <DayRow :at="item.at" :before="activity[index - 1]?.at" :columns="withName ? 4 : 3" />
        <tr>
          <td class="text-no-wrap"><TimeText :at="item.at" below-day /></td>
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
      </template>
    </tbody>
  </table>
</template>
