<script setup lang="ts">
import { computed } from 'vue'
import type { HeardView, WaveformView } from '../../shared/http'
import { clock } from '../../shared/words'
import { linesOf } from './heardLines'

/** The mix as it lies on time, with what is spoken and where somebody said something. */
const props = defineProps<{ heard: HeardView; waveform: WaveformView | null; width: number; positionS: number }>()
const emit = defineEmits<{ seek: [seconds: number] }>()
const HEIGHT = 92
const MIDDLE = 34
const LEFT = 40
const inner = computed(() => Math.max(200, props.width - LEFT - 2))
const lines = computed(() => linesOf(props.heard, props.waveform, inner.value))
const perLineS = computed(() => lines.value[0]?.lengthS ?? 1)
function press(event: MouseEvent, startS: number) {
  const box = (event.currentTarget as SVGElement).getBoundingClientRect()
  emit('seek', startS + ((event.clientX - box.left) / inner.value) * perLineS.value)
}
const x = (seconds: number, startS: number) => LEFT + ((seconds - startS) / perLineS.value) * inner.value
</script>

<template>
  <svg
    class="score"
    :width="width"
    :height="lines.length * HEIGHT"
    role="img"
    :aria-label="`The sheet of ${heard.title}`"
  >
    <g v-for="(line, k) in lines" :key="k" :transform="`translate(0 ${k * HEIGHT})`">
      <text :x="LEFT - 8" :y="MIDDLE + 4" text-anchor="end" class="time">{{ clock(line.startS) }}</text>
      <path :d="line.band" class="band" :transform="`translate(${LEFT} ${MIDDLE})`" />
      <path :d="line.level" class="level" :transform="`translate(${LEFT} ${MIDDLE})`" />
      <g v-for="word in line.spoken" :key="word.x" class="spoken">
        <line :x1="LEFT + word.x" :x2="LEFT + word.x + word.width" y1="66" y2="66" />
        <text :x="LEFT + word.x" y="80">{{ word.text }}</text>
      </g>
      <rect
        :x="LEFT"
        y="2"
        :width="line.width"
        :height="HEIGHT - 8"
        class="touch"
        data-test="heard-line"
        @click="press($event, line.startS)"
      />
      <path
        v-for="flag in line.flags"
        :key="flag.id"
        :d="`M${LEFT + flag.x} 22V2h11l-3 4 3 4h-11`"
        :class="['flag', { done: flag.done }]"
        data-test="heard-flag"
      />
      <line
        v-if="positionS >= line.startS && positionS < line.startS + perLineS"
        :x1="x(positionS, line.startS)"
        :x2="x(positionS, line.startS)"
        y1="0"
        y2="70"
        class="play"
      />
    </g>
  </svg>
</template>

<style scoped>
.time {
  font-size: 11px;
  fill: var(--soft);
}
.level {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.2;
}
.spoken line {
  stroke: var(--voice);
  stroke-width: 2;
}
.spoken text {
  font-family: var(--serif);
  font-size: 13px;
  fill: var(--voice);
}
.flag {
  fill: var(--passage);
  stroke: var(--warn);
  pointer-events: none;
}
.flag.done {
  fill: none;
  stroke: var(--soft);
}
</style>
