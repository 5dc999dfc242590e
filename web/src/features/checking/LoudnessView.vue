<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, useTemplateRef } from 'vue'
import { layoutLoudness } from '../../drawing/loudness'
import type { CutView, MetersView, PlanView } from '../../shared/http'
import { clock } from '../../shared/words'

const props = defineProps<{
  cut: CutView
  meters: MetersView
  findings: PlanView['findings']
  positionS: number
}>()
const emit = defineEmits<{ seek: [seconds: number] }>()

const box = useTemplateRef<HTMLElement>('box')
const { width } = useElementSize(box)
const HEIGHT = 120
const strip = computed(() =>
  layoutLoudness(
    props.meters.momentaryLufs.map((lufs) => lufs ?? null),
    props.meters.shortTermLufs.map((lufs) => lufs ?? null),
    props.meters.stepS,
    props.cut.lengthS,
    Math.max(200, width.value),
    HEIGHT,
  ),
)
function seek(event: MouseEvent) {
  const area = (event.currentTarget as Element).getBoundingClientRect()
  emit('seek', ((event.clientX - area.left) / area.width) * props.cut.lengthS)
}
</script>

<template>
  <figure ref="box">
    <svg
      :width="strip.width"
      :height="HEIGHT + 16"
      role="img"
      aria-label="Loudness over the cut, with what was found"
      data-test="loudness-strip"
      @click="seek"
    >
      <rect
        v-for="phrase in meters.phrases"
        :key="phrase.startS"
        class="phrase"
        :x="strip.x(phrase.startS)"
        y="0"
        :width="strip.x(phrase.endS - phrase.startS)"
        :height="HEIGHT"
      />
      <g v-for="line in strip.lines" :key="line.lufs">
        <line class="level" x1="0" :x2="strip.width" :y1="line.y" :y2="line.y" />
        <text :x="strip.width - 4" :y="line.y - 2" text-anchor="end">{{ line.lufs }}</text>
      </g>
      <path class="momentary" :d="strip.momentary" />
      <path class="short" :d="strip.shortTerm" />
      <g v-for="(finding, k) in findings" :key="k" :class="finding.needsLook ? 'look' : 'note'">
        <title>{{ finding.text }}</title>
        <line :x1="strip.x(finding.atS)" :x2="strip.x(finding.atS)" y1="0" :y2="HEIGHT" />
        <circle :cx="Math.max(5, Math.min(strip.width - 5, strip.x(finding.atS)))" :cy="HEIGHT + 8" r="5" />
      </g>
      <line class="now" :x1="strip.x(positionS)" :x2="strip.x(positionS)" y1="0" :y2="HEIGHT" />
    </svg>
    <figcaption class="soft">
      Loudness of the mix in LUFS from 0:00 to {{ clock(cut.lengthS) }}: the area over 0.4 s, the line over 3 s; speech
      is shaded. Click to go there.
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0 0 14px;
}
svg {
  display: block;
  cursor: pointer;
  background: var(--card);
}
.phrase {
  fill: var(--voice);
  opacity: 0.1;
}
.level {
  stroke: var(--line);
}
text {
  font-size: 10px;
  fill: var(--soft);
}
.momentary {
  fill: var(--band);
  opacity: 0.3;
}
.short {
  fill: none;
  stroke: var(--band);
  stroke-width: 1.5;
}
.look {
  stroke: var(--warn);
  fill: var(--warn);
}
.note {
  stroke: var(--soft);
  fill: var(--soft);
}
.now {
  stroke: var(--ink);
}
</style>
