<script setup lang="ts">
import { ROWS, type SheetLine } from '../../drawing/sheet'
import { clock } from '../../shared/words'

/** What is only drawn of a line of the sheet: its band with bars, splices and ring-out, and the picture above it. */
defineProps<{ line: SheetLine; left: number; passage: { x: number; width: number } | null }>()
</script>

<template>
  <text :x="left - 8" :y="ROWS.band + 4" text-anchor="end" class="time">{{ clock(line.startS) }}</text>
  <rect v-if="passage" v-bind="passage" :y="ROWS.band - 24" height="48" class="passage" />
  <line :x1="left" :x2="line.endX" :y1="ROWS.band" :y2="ROWS.band" class="staff" />
  <path :d="line.band" class="band" />
  <line
    v-for="bar in line.bars"
    :key="bar.x"
    :x1="bar.x"
    :x2="bar.x"
    :y1="ROWS.band - 19"
    :y2="ROWS.band + 19"
    :class="bar.strong ? 'bar strong' : 'bar'"
  />
  <text v-if="line.carried" :x="line.carried.x" :y="ROWS.shots" class="shot">{{ line.carried.text }}</text>
  <g v-for="shot in line.shots" :key="`s${shot.x}`">
    <line :x1="shot.x" :x2="shot.x" :y1="ROWS.shots - 8" :y2="ROWS.shots + 3" class="mark" />
    <text :x="shot.x + 4" :y="ROWS.shots" class="shot">{{ shot.text }}</text>
  </g>
  <g v-for="moment in line.moments" :key="`m${moment.x}`" class="moment">
    <path :d="`M${moment.x - 4} ${ROWS.shots - 7}h8l-4 8Z`" />
    <line :x1="moment.x" :x2="moment.x" :y1="ROWS.shots" :y2="ROWS.band + 19" />
    <text :x="moment.x + 7" :y="ROWS.shots">{{ moment.text }}</text>
  </g>
  <text v-for="number in line.numbers" :key="`n${number.x}`" :x="number.x" :y="ROWS.letters + 3" class="number">
    {{ number.text }}
  </text>
  <g v-for="letter in line.letters" :key="`l${letter.x}`">
    <rect :x="letter.x" :y="ROWS.letters - 9" width="15" height="15" class="box" />
    <text :x="letter.x + 7.5" :y="ROWS.letters + 3" text-anchor="middle" class="letter">{{ letter.text }}</text>
  </g>
  <g v-for="splice in line.splices" :key="`j${splice.x}`" :class="['splice', splice.audible]" data-test="splice">
    <line :x1="splice.x - 2" :x2="splice.x - 2" :y1="ROWS.band - 24" :y2="ROWS.band + 24" />
    <line :x1="splice.x + 2" :x2="splice.x + 2" :y1="ROWS.band - 24" :y2="ROWS.band + 24" />
    <text :x="splice.x + 20" :y="ROWS.letters + 3">{{ splice.label }}</text>
  </g>
  <path v-if="line.ringOut !== null" :d="`M${line.ringOut - 9} ${ROWS.letters + 4}a9 9 0 0 1 18 0`" class="fermata" />
  <circle v-if="line.ringOut !== null" :cx="line.ringOut" :cy="ROWS.letters + 2" r="1.6" />
</template>

<style scoped>
.time,
.number {
  font-size: 11px;
  fill: var(--soft);
  font-variant-numeric: tabular-nums;
}
.staff {
  stroke: var(--line);
}
.bar {
  stroke: var(--line);
}
.bar.strong {
  stroke: var(--ink);
}
.mark {
  stroke: var(--soft);
  stroke-width: 1.5;
}
.shot {
  font-size: 13px;
}
.moment path {
  fill: var(--voice);
}
.moment line {
  stroke: var(--voice);
  stroke-dasharray: 2 3;
}
.moment text {
  fill: var(--voice);
  font-family: var(--serif);
  font-size: 13px;
}
.fermata {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.5;
}
.passage {
  fill: var(--passage);
  opacity: 0.6;
}
</style>
