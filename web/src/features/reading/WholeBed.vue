<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { scaleLinear } from 'd3-scale'
import { computed, ref } from 'vue'
import { bandPath, loudestOf } from '../../drawing/band'
import { tempoPath, type BedReading } from '../../drawing/bars'
import type { WaveformView } from '../../shared/http'
import { clock } from '../../shared/words'

/** The whole bed as a strip to jump in, its tempo as a line above it. */
const props = defineProps<{ reading: BedReading; lengthS: number; waveform: WaveformView | null; positionS: number }>()
const emit = defineEmits<{ seek: [seconds: number] }>()

const TEMPO = { top: 4, bottom: 20 }
/** The letters stand between the tempo and the bed, as over a staff. */
const LETTERS = 32
const MIDDLE = 56
const HALF = 20
const HEIGHT = 80

const holder = ref<HTMLElement>()
const { width } = useElementSize(holder)
const x = computed(() => scaleLinear([0, Math.max(0.1, props.lengthS)], [0, Math.max(100, width.value)]))
const band = computed(() => {
  const wave = props.waveform
  if (!wave) return ''
  return bandPath(wave.peaks, wave.stepS, 0, props.lengthS, x.value, MIDDLE, HALF, loudestOf(wave.peaks))
})
const tempo = computed(() => tempoPath(props.reading, x.value, TEMPO.top, TEMPO.bottom))
const spread = computed(() => {
  const sorted = [...props.reading.barTempiBpm].sort((a, b) => a - b)
  const low = sorted[Math.floor(sorted.length * 0.05)] ?? 0
  const high = sorted[Math.floor(sorted.length * 0.95)] ?? 0
  return high - low < 1.5 ? 'even tempo' : `${low.toFixed(0)} to ${high.toFixed(0)} BPM`
})
const letters = computed(() => {
  let free = -Infinity
  return props.reading.sections.map((section) => {
    const at = x.value(section.startS)
    const shown = at >= free
    if (shown) free = at + 17
    return { at, label: section.label, shown }
  })
})

function seek(event: MouseEvent) {
  const box = holder.value?.getBoundingClientRect()
  emit('seek', x.value.invert(event.clientX - (box?.left ?? 0)))
}
</script>

<template>
  <div ref="holder" class="whole" data-test="whole-bed">
    <svg class="score" :width="width" :height="HEIGHT" aria-hidden="true" @click="seek">
      <line x1="0" :x2="width" y1="12" y2="12" class="even" />
      <path :d="tempo" class="tempo" />
      <path :d="band" class="band" />
      <g v-for="(letter, k) in letters" :key="k">
        <line :x1="letter.at" :x2="letter.at" :y1="LETTERS - 9" :y2="MIDDLE + HALF + 2" class="border" />
        <text v-if="letter.shown" :x="letter.at + 3" :y="LETTERS" class="letter">{{ letter.label }}</text>
      </g>
      <line :x1="x(positionS)" :x2="x(positionS)" y1="0" :y2="HEIGHT" class="play" />
      <rect x="0" y="0" :width="width" :height="HEIGHT" class="touch" />
    </svg>
    <span class="soft note numbers">{{ spread }}</span>
    <span class="unseen">{{ spread }}; the bed lasts {{ clock(lengthS) }}</span>
  </div>
</template>

<style scoped>
.whole {
  position: relative;
  margin-bottom: 12px;
}
.even {
  stroke: var(--line);
}
.tempo {
  fill: none;
  stroke: var(--voice);
  stroke-width: 1.4;
}
.border {
  stroke: var(--ink);
  stroke-width: 0.6;
}
.note {
  position: absolute;
  right: 0;
  top: -8px;
  font-size: 11px;
  background: var(--ground);
  padding-left: 6px;
}
</style>
