<script setup lang="ts">
import EnergyCurve from '../features/beds/EnergyCurve.vue'
import type { Sending } from './files'

/** Files on their way, with their waveform where it is known already. */
defineProps<{ sending: Sending[] }>()
</script>

<template>
  <div v-for="(entry, k) in sending" :key="k" role="status" class="arriving" data-test="arriving">
    <span>Bringing in {{ entry.name }}</span>
    <EnergyCurve v-if="entry.levelsDb.length" :levels-db="entry.levelsDb" :width="250" :height="34" />
    <progress :value="entry.share" :aria-label="`${entry.name} is on its way`" />
  </div>
</template>

<style scoped>
.arriving {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
  padding: 6px 0;
}
.arriving .ant-progress {
  width: 240px;
  margin: 0;
}
</style>
