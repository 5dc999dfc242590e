<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { layoutMap, MAP } from '../../drawing/map'
import type { CutView, FittingView, Of, WaveformView, Wish } from '../../shared/http'
import { clock, samples } from '../../shared/words'
import { edges } from './edges'
import { useGround } from './ground'
import { useLengthDrag } from './useLengthDrag'
import { useMarking } from './useMarking'
import { usePinPull } from './usePinPull'
import { useSpliceDrag } from './useSpliceDrag'

/** How the bed became the fitting; everything on it can be taken hold of. */
const props = defineProps<{
  cut: CutView
  fitting: FittingView
  /** Length that is being tried while the end of the cut is dragged. */
  triedS: number | null
  bedWave: WaveformView | null
  cutWave: WaveformView | null
  positionS: number
  chosenSplice: number
}>()
const emit = defineEmits<{
  seek: [seconds: number]
  say: [change: Of<'fit'>]
  splice: [index: number]
  tryLength: [seconds: number]
  leaveLength: []
  setLength: [seconds: number]
}>()

const holder = ref<HTMLElement>()
const { width } = useElementSize(holder)
const lengthS = computed(() => props.triedS ?? props.cut.lengthS)
const map = computed(() =>
  layoutMap(props.cut, props.fitting, lengthS.value, props.bedWave, props.cutWave, width.value || 1000),
)
const wish = (wished: Wish) => emit('say', { about: 'fit', do: 'wish', wish: wished })
const kept = computed(() => edges(props.cut, props.fitting, map.value))
const unpin = (cutS: number) =>
  emit('say', { about: 'fit', do: 'takeBack', wish: { what: 'pin', cutSamples: samples(cutS) } })

const ground = useGround(() => props.cut, map, holder)
const marking = useMarking(ground, () => props.cut.plan.revision, wish)
const { marked, isDone: isMarked } = marking
const sides = useSpliceDrag(
  ground,
  () => props.fitting,
  (change) => emit('say', change),
)
const { dragged } = sides
const pins = usePinPull(ground, wish)
const { pulled } = pins
const end = useLengthDrag(
  ground,
  () => props.triedS,
  (seconds) => emit('tryLength', seconds),
  (seconds) => emit('setLength', seconds),
  () => emit('leaveLength'),
)
</script>

<template>
  <div ref="holder" class="map" data-test="map">
    <svg class="score" :width="width" :height="MAP.height">
      <text x="8" y="13" class="caption">the bed, as it is: drag across it to keep or leave out a passage</text>
      <rect
        v-for="hole in map.leftOut"
        :key="hole.x"
        :x="hole.x"
        :y="MAP.bedTop"
        :width="hole.width"
        :height="MAP.bedMiddle + MAP.bedHalf + 4 - MAP.bedTop"
        class="hole"
      />
      <path :d="map.bed" class="band" />
      <g v-for="letter in map.letters" :key="letter.x">
        <line :x1="letter.lineX" :x2="letter.lineX" :y1="33" :y2="MAP.ribbonTop" class="section" />
        <rect :x="letter.x" y="18" width="15" height="15" class="box" />
        <text :x="letter.x + 7.5" y="30" text-anchor="middle" class="letter">{{ letter.text }}</text>
      </g>
      <g v-for="one in map.kept" :key="`k${one.x}`">
        <rect :x="one.x" :y="MAP.bedTop - 2" :width="one.width" height="50" class="kept" />
        <text :x="one.x + 4" :y="MAP.bedTop + 9" class="said">{{ one.text }}</text>
      </g>
      <g v-for="one in map.unwanted" :key="`u${one.x}`">
        <rect :x="one.x" :y="MAP.bedTop - 2" :width="one.width" height="50" class="unwanted" />
        <path
          :d="`M${one.x} ${MAP.bedTop - 2}l${one.width} 50M${one.x} ${MAP.bedTop + 48}l${one.width} -50`"
          class="struck"
        />
        <text :x="one.x + 4" :y="MAP.bedTop + 9" class="said">{{ one.text }}</text>
      </g>
      <path
        v-for="ribbon in map.ribbons"
        :key="ribbon.piece"
        :d="ribbon.path"
        :fill="`var(--ribbon-${ribbon.piece % 4})`"
        class="ribbon"
        data-test="ribbon"
      />
      <rect
        v-if="marked"
        :x="map.bedX(marked.startS)"
        :y="MAP.bedTop - 2"
        :width="map.bedX(marked.endS) - map.bedX(marked.startS)"
        height="50"
        class="marked"
      />
      <rect
        x="8"
        :y="MAP.bedTop - 2"
        :width="map.right - 8"
        :height="50"
        class="touch"
        data-test="bed-ruler"
        @pointerdown="marking.begin"
        @pointermove="marking.move"
        @pointerup="marking.end"
      />
      <rect
        x="8"
        :y="MAP.rail - 4"
        :width="map.right - 8"
        height="9"
        class="touch rail"
        data-test="pin-rail"
        @pointerdown="pins.pull"
        @pointermove="pins.pulling"
        @pointerup="pins.letGo"
      >
        <title>Pull a bar line down to a moment of the cut to pin it there</title>
      </rect>
      <g
        v-for="edge in kept"
        :key="edge.side"
        class="kept-edge"
        role="button"
        tabindex="0"
        :data-test="`as-${edge.side}`"
        @click="wish(edge.wish)"
        @keydown.enter.stop="wish(edge.wish)"
      >
        <title>{{ edge.hint }}</title>
        <text :x="edge.bedX" :y="MAP.ribbonTop + 13" :text-anchor="edge.anchor">{{ edge.text }}</text>
        <text :x="edge.cutX" :y="MAP.ribbonBottom - 5" :text-anchor="edge.anchor">
          {{ edge.text }}
        </text>
      </g>
      <g v-for="ribbon in map.ribbons" :key="`e${ribbon.piece}`">
        <g
          v-for="edge in [
            { side: 'enter' as const, x: ribbon.from, there: ribbon.piece > 0 },
            { side: 'leave' as const, x: ribbon.to, there: ribbon.piece < fitting.splices.length },
          ].filter((e) => e.there)"
          :key="edge.side"
          class="edge"
          :data-test="`edge-${edge.side}-${ribbon.piece}`"
          @pointerdown="sides.grab($event, ribbon.piece, edge.side)"
          @pointermove="sides.drag"
          @pointerup="sides.drop"
        >
          <title>Drag to another bar line: the other side of the splice follows; with Shift it stays</title>
          <rect :x="edge.x - 6" :y="MAP.ribbonTop - 2" width="12" height="24" fill="transparent" />
          <line :x1="edge.x" :x2="edge.x" :y1="MAP.ribbonTop" :y2="MAP.ribbonTop + 18" />
        </g>
      </g>
      <line
        v-if="dragged"
        :x1="map.bedX(dragged.toS)"
        :x2="map.bedX(dragged.toS)"
        :y1="MAP.bedTop"
        :y2="MAP.ribbonTop + 24"
        class="target"
      />
      <g v-for="pin in map.pins" :key="pin.cutX" class="pin" data-test="pin" @click="unpin(pin.cutS)">
        <title>Pinned; click to take the pin out</title>
        <line :x1="pin.bedX" :x2="pin.cutX" :y1="MAP.rail" :y2="MAP.ribbonBottom" />
        <circle :cx="pin.bedX" :cy="MAP.rail" r="3.5" />
        <circle :cx="pin.cutX" :cy="MAP.ribbonBottom" r="3.5" />
      </g>
      <line v-if="pulled" :x1="map.bedX(pulled.bedS)" :x2="pulled.x" :y1="MAP.rail" :y2="pulled.y" class="pulled" />
      <g v-for="shot in map.shots" :key="shot.x">
        <line :x1="shot.x" :x2="shot.x" :y1="MAP.ribbonBottom + 2" :y2="MAP.ribbonBottom + 13" class="shot-mark" />
        <text :x="shot.x + 4" :y="MAP.ribbonBottom + 11" class="shot">{{ shot.text }}</text>
      </g>
      <path :d="map.cut" class="band" />
      <path
        v-for="moment in map.moments"
        :key="moment.x"
        :d="`M${moment.x} ${MAP.ribbonBottom + 14}l4 5l-4 5l-4 -5Z`"
        class="moment"
      >
        <title>{{ moment.text }}</title>
      </path>
      <rect
        v-for="phrase in map.phrases"
        :key="phrase.x"
        :x="phrase.x"
        :y="MAP.phrases"
        :width="phrase.width"
        height="4"
        class="phrase"
      />
      <rect
        x="8"
        :y="MAP.ribbonBottom"
        :width="map.right - 8"
        :height="MAP.phrases - MAP.ribbonBottom"
        class="touch"
        data-test="cut-ruler"
        @click="emit('seek', ground.cutSeconds($event))"
      />
      <g
        v-for="splice in map.splices"
        :key="splice.x"
        class="splice"
        :class="{ chosen: splice.index === chosenSplice }"
        data-test="map-splice"
        @click="emit('splice', splice.index)"
      >
        <line :x1="splice.x - 2" :x2="splice.x - 2" :y1="MAP.cutMiddle - 24" :y2="MAP.cutMiddle + 24" />
        <line :x1="splice.x + 2" :x2="splice.x + 2" :y1="MAP.cutMiddle - 24" :y2="MAP.cutMiddle + 24" />
        <rect :x="splice.x - 8" :y="MAP.cutMiddle - 24" width="16" height="64" fill="transparent" />
        <text :x="splice.x" :y="MAP.foot" text-anchor="middle">{{ splice.label }}</text>
      </g>
      <text x="8" :y="MAP.foot" class="caption">the cut</text>
      <line
        v-if="positionS <= lengthS"
        :x1="map.cutX(positionS)"
        :x2="map.cutX(positionS)"
        :y1="MAP.ribbonBottom"
        :y2="MAP.phrases + 6"
        class="play"
      />
      <g
        class="end"
        tabindex="0"
        role="slider"
        aria-label="Length of the cut"
        :aria-valuenow="Math.round(lengthS)"
        aria-valuemin="2"
        :aria-valuemax="Math.round(4 * cut.lengthS)"
        :aria-valuetext="`${clock(lengthS, true)}`"
        data-test="cut-end"
        @pointerdown="end.grab"
        @pointermove="end.drag"
        @pointerup="end.drop"
        @keydown="end.step"
      >
        <title>Drag to try another length; arrow keys by a second, with Shift by a frame, Enter to take it</title>
        <rect :x="map.right - 7" :y="MAP.ribbonBottom + 2" width="14" height="66" fill="transparent" />
        <line :x1="map.right" :x2="map.right" :y1="MAP.ribbonBottom + 4" :y2="MAP.phrases + 4" />
        <path :d="`M${map.right - 3} ${MAP.cutMiddle - 5}l-4 5l4 5M${map.right + 3} ${MAP.cutMiddle - 5}l4 5l-4 5`" />
      </g>
      <text :x="map.right" :y="MAP.foot" text-anchor="end" class="numbers" :class="{ tried: triedS !== null }">
        {{ clock(lengthS, true) }}
      </text>
    </svg>
    <div
      v-if="marked && isMarked"
      class="choice"
      role="toolbar"
      aria-label="The marked passage"
      :style="{ left: `${Math.min(map.bedX(marked.startS), (width || 1000) - 330)}px` }"
    >
      <button class="plain" data-test="keep" @click="marking.say('keep')">keep it <kbd>K</kbd></button>
      <button class="plain" data-test="leave-out" @click="marking.say('leaveOut')">leave it out <kbd>O</kbd></button>
      <button class="plain" data-test="free" @click="marking.say('free')">let it be free <kbd>F</kbd></button>
    </div>
  </div>
</template>

<style scoped>
.map {
  position: relative;
  touch-action: none;
  user-select: none;
}
.caption {
  font-family: var(--serif);
  font-style: italic;
  font-size: 13px;
  fill: var(--soft);
}
.hole {
  fill: var(--rail);
}
.section,
.shot-mark {
  stroke: var(--ink);
}
.ribbon {
  stroke: var(--ground);
}
.shot,
.said {
  font-size: 12px;
}
.said {
  fill: var(--voice);
  font-weight: 600;
}
.phrase {
  fill: var(--voice);
  opacity: 0.6;
}
.moment {
  fill: var(--ink);
}
.touch {
  fill: transparent;
  cursor: crosshair;
}
.rail {
  cursor: grab;
}
.rail:hover {
  fill: color-mix(in srgb, var(--voice) 12%, transparent);
}
.marked {
  fill: color-mix(in srgb, var(--hand) 18%, transparent);
  stroke: var(--hand);
}
.kept {
  fill: none;
  stroke: var(--hand);
  stroke-width: 2;
}
.unwanted {
  fill: color-mix(in srgb, var(--voice) 10%, transparent);
  stroke: var(--voice);
}
.struck {
  stroke: var(--voice);
  stroke-width: 0.7;
  opacity: 0.6;
}
.edge {
  cursor: ew-resize;
}
.edge line {
  stroke: var(--ink);
  stroke-width: 3;
  stroke-linecap: round;
  opacity: 0.55;
}
.edge:hover line {
  opacity: 1;
}
.kept-edge {
  cursor: pointer;
}
.kept-edge text {
  font-family: var(--serif);
  font-style: italic;
  font-size: 13px;
}
.kept-edge:hover text,
.kept-edge:focus-visible text {
  text-decoration: underline;
}
.target {
  stroke: var(--hand);
  stroke-width: 2;
}
.pin,
.splice {
  cursor: pointer;
}
.pin line,
.pulled {
  stroke: var(--voice);
  stroke-width: 1.6;
  stroke-dasharray: 5 4;
}
.pin circle {
  fill: var(--voice);
}
.splice.chosen line {
  stroke-width: 2.6;
}
.splice.chosen text {
  font-weight: 700;
}
.end {
  cursor: ew-resize;
  outline-offset: 2px;
}
.end line,
.end path {
  stroke: var(--ink);
  stroke-width: 1.6;
  fill: none;
}
.tried {
  font-weight: 700;
  fill: var(--hand);
}
.choice {
  position: absolute;
  top: 88px;
  display: flex;
  gap: 2px;
  padding: 4px 6px;
  background: var(--card);
  border: 1px solid var(--line);
  border-radius: 3px;
  box-shadow: 0 2px 8px rgb(0 0 0 / 12%);
}
</style>
