<script setup lang="ts">
import type { Drift } from "@copper-kettle/contract";
import { when } from "../../logic/format.js";

/** Where real responses do not match the schemas of the documents. */
defineProps<{ drift: Drift[] }>();
const link = (operation: string): string => `/apis/${operation.replace(".", "/")}`;
const words: Record<Drift["what"], string> = {
  "new-field": "new field",
  "missing-field": "missing field",
  "other-kind": "other type",
  null: "unexpected null",
};
</script>

<template>
  <table class="lines" aria-label="Drift">
    <thead>
      <tr>
        <th>Operation</th>
        <th>Place</th>
        <th>What</th>
        <th class="wide">Detail</th>
        <th>Times</th>
        <th class="wide">First</th>
        <th>Last</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="one in drift" :key="`${one.operation} ${one.status} ${one.what} ${one.path}`">
        <td>
          <router-link :to="link(one.operation)">{{ one.operation }}</router-link>
          <span class="dim">{{ one.status }}</span>
        </td>
        <td class="mono">{{ one.path || "the body" }}</td>
        <td class="text-no-wrap">{{ words[one.what] }}</td>
        <td class="wide dim">{{ one.detail }}</td>
        <td>
          <router-link v-if="one.run" :to="`/runs/${one.run}`">{{ one.count }}</router-link><template
            v-else
            >{{ one.count }}</template
          >
        </td>
        <td class="wide text-no-wrap">{{ when(one.firstAt) }}</td>
        <td class="text-no-wrap">{{ when(one.lastAt) }}</td>
      </tr>
    </tbody>
  </table>
</template>
