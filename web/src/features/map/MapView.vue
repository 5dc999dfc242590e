<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { layoutMap, MAP } from '../../drawing/map'
import type { CutView, FittingView, Of, WaveformView, Wish } from '../../shared/http'
import { clock, samples } from '../../shared/words'
import { edges } from './edges'
import { useGround } from './ground'
import MapDrawing from './MapDrawing.vue'
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
const pins = usePinPull(ground, () => props.positionS, wish)
const { pulled } = pins
/** The pins, with the one that keys have on its way. */
const shownPins = computed(() =>
  map.value.pins.map((pin) => {
    const moved = pins.moved.value
    return moved?.bedS === pin.bedS ? { ...pin, cutS: moved.cutS, cutX: map.value.cutX(moved.cutS) } : pin
  }),
)
const barOf = (piece: number, side: 'leave' | 'enter') => ground.bar(sides.shownS(piece, side) ?? 0).index + 1
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
      <MapDrawing :map="map" />
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
        tabindex="0"
        role="slider"
        aria-label="Passage of the bed: arrows mark a section, with Shift they move its end"
        :aria-valuenow="Math.round(marked?.startS ?? 0)"
        aria-valuemin="0"
        :aria-valuemax="Math.round(cut.bed?.lengthS ?? 0)"
        :aria-valuetext="marked ? `${clock(marked.startS)} to ${clock(marked.endS)}` : 'nothing marked'"
        data-test="bed-ruler"
        @keydown="marking.step"
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
        tabindex="0"
        role="slider"
        aria-label="Bar line to pin: arrows choose it, Enter pins it where the playhead is"
        :aria-valuenow="pins.chosen.value + 1"
        aria-valuemin="1"
        :aria-valuemax="ground.lines.value.length"
        :aria-valuetext="`bar ${pins.chosen.value + 1}`"
        data-test="pin-rail"
        @focus="pins.arrive"
        @blur="pins.leave"
        @keydown="pins.step"
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
        @keydown.enter.prevent="wish(edge.wish)"
        @keydown.space.prevent="wish(edge.wish)"
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
          tabindex="0"
          role="slider"
          :aria-label="
            edge.side === 'leave' ? `Splice ${ribbon.piece + 1} leaves at` : `Splice ${ribbon.piece} enters at`
          "
          :aria-valuenow="barOf(ribbon.piece, edge.side)"
          aria-valuemin="1"
          :aria-valuemax="ground.lines.value.length"
          :aria-valuetext="`bar ${barOf(ribbon.piece, edge.side)}`"
          :data-test="`edge-${edge.side}-${ribbon.piece}`"
          @pointerdown="sides.grab($event, ribbon.piece, edge.side)"
          @pointermove="sides.drag"
          @pointerup="sides.drop"
          @keydown="sides.step($event, ribbon.piece, edge.side)"
          @blur="sides.settle"
        >
          <title>
            Drag to another bar line, or arrow keys: the other side of the splice follows; with Shift it stays
          </title>
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
      <g
        v-for="pin in shownPins"
        :key="pin.bedS"
        class="pin"
        tabindex="0"
        role="slider"
        :aria-label="`Pin of the bed at ${clock(pin.bedS)}: arrows move it along the cut, Enter takes it out`"
        :aria-valuenow="Math.round(pin.cutS)"
        aria-valuemin="0"
        :aria-valuemax="Math.round(cut.lengthS)"
        :aria-valuetext="clock(pin.cutS, true)"
        data-test="pin"
        @click="unpin(pin.cutS)"
        @keydown.enter.prevent="unpin(pin.cutS)"
        @keydown.delete.prevent="unpin(pin.cutS)"
        @keydown="pins.move($event, pin)"
        @blur="pins.settle"
      >
        <title>Pinned; click to take the pin out, arrow keys by a frame, with Shift by a second</title>
        <line :x1="pin.bedX" :x2="pin.cutX" :y1="MAP.rail" :y2="MAP.ribbonBottom" />
        <circle :cx="pin.bedX" :cy="MAP.rail" r="3.5" />
        <circle :cx="pin.cutX" :cy="MAP.ribbonBottom" r="3.5" />
      </g>
      <line v-if="pulled" :x1="map.bedX(pulled.bedS)" :x2="pulled.x" :y1="MAP.rail" :y2="pulled.y" class="pulled" />
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
        tabindex="0"
        role="button"
        :aria-label="`${splice.label}: splice ${splice.index + 1} close up, ${splice.hard} of 100 hard to hear`"
        data-test="map-splice"
        @click="emit('splice', splice.index)"
        @keydown.enter.prevent="emit('splice', splice.index)"
        @keydown.space.prevent="emit('splice', splice.index)"
      >
        <line :x1="splice.x - 2" :x2="splice.x - 2" :y1="MAP.cutMiddle - 24" :y2="MAP.cutMiddle + 24" />
        <line :x1="splice.x + 2" :x2="splice.x + 2" :y1="MAP.cutMiddle - 24" :y2="MAP.cutMiddle + 24" />
        <rect :x="splice.x - 8" :y="MAP.cutMiddle - 24" width="16" height="64" fill="transparent" />
        <text :x="splice.x" :y="MAP.foot" text-anchor="middle">{{ splice.label }}</text>
      </g>
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
.edge {
  cursor: ew-resize;
}
.edge line {
  stroke: var(--ink);
  stroke-width: 3;
  stroke-linecap: round;
  opacity: 0.55;
}
.edge:hover line,
.edge:focus-visible line {
  opacity: 1;
}
:is(.edge, .pin, .splice, .touch):focus-visible {
  outline: 2px solid var(--voice);
  outline-offset: 1px;
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
