<script setup lang="ts">
import { computed } from 'vue'

/** How full a bed is, stroke by stroke: bars of music, or steps of a file. */
const props = defineProps<{ levelsDb: number[]; width: number; height: number }>()
const path = computed(() => {
  const step = Math.min(14, props.width / Math.max(1, props.levelsDb.length))
  return props.levelsDb
    .map((level, k) => {
      const tall = Math.max(1, props.height * Math.max(0, 1 + level / 24))
      return `M${(k * step + step / 2).toFixed(1)} ${props.height}v${(-tall).toFixed(1)}`
    })
    .join('')
})
</script>

<template>
  <svg :width="width" :height="height" class="curve" role="img" aria-label="its energy from start to end">
    <path :d="path" :stroke-width="Math.min(9, Math.max(1, (width / Math.max(1, levelsDb.length)) * 0.62))" />
  </svg>
</template>

<style scoped>
.curve path {
  stroke: var(--band);
}
</style>
