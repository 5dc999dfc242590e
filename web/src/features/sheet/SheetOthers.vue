<script setup lang="ts">
import { ROWS } from '../../drawing/sheet'

/** Who else looks at a line: their playheads, and what they have marked of it. */
defineProps<{
  others: { window: string; name: string; x: number | null; marked: { x: number; width: number } | null }[]
}>()
</script>

<template>
  <g v-for="one in others" :key="one.window" class="other" data-test="other-playhead">
    <rect v-if="one.marked" v-bind="one.marked" :y="ROWS.band - 24" height="48" />
    <template v-if="one.x !== null">
      <line :x1="one.x" :x2="one.x" :y1="ROWS.band - 30" :y2="ROWS.words + 6" />
      <text :x="one.x + 3" :y="ROWS.words + 6">{{ one.name }}</text>
    </template>
  </g>
</template>

<style scoped>
.other line {
  stroke: var(--accent);
  stroke-dasharray: 3 3;
}
.other text {
  font-size: 11px;
  fill: var(--accent);
}
.other rect {
  fill: none;
  stroke: var(--accent);
  stroke-dasharray: 3 3;
}
</style>
