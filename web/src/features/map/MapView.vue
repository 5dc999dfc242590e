<script setup lang="ts">
import { onKeyStroke, useElementSize } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { layoutMap, MAP, nearest } from '../../drawing/map'
import type { CutView, FittingView, Of, WaveformView, Wish } from '../../shared/http'
import { clock, samples, secondsOf } from '../../shared/words'
import { RIBBONS } from '../../theme'

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
  setLength: [seconds: number]
}>()

const holder = ref<HTMLElement>()
const { width } = useElementSize(holder)
const lengthS = computed(() => props.triedS ?? props.cut.lengthS)
const map = computed(() =>
  layoutMap(props.cut, props.fitting, lengthS.value, props.bedWave, props.cutWave, width.value || 1000),
)
const lines = computed(() => props.cut.bed?.reading?.barLinesS ?? [])
const px = (event: MouseEvent) => event.clientX - (holder.value?.getBoundingClientRect().left ?? 0)
const bar = (seconds: number) => nearest(lines.value, seconds)

/** A passage of the bed that is marked: two bar lines. */
const marked = ref<{ startS: number; endS: number } | null>(null)
/** A splice's bar line that is being dragged. */
const dragged = ref<{ splice: number; side: 'leave' | 'enter'; toS: number } | null>(null)
/** A pin that is being pulled. */
const pulled = ref<{ bedS: number; x: number; y: number } | null>(null)
const markFrom = ref<number | null>(null)

/** What is kept of how the bed begins and ends; a click lets it go, or asks for it again. */
const edges = computed(() => {
  const { start, end } = props.cut.plan.wishes
  const last = map.value.ribbons.at(-1)
  const begins = props.fitting.start === 'top'
  const ends = props.fitting.end === 'ownEnding'
  const free = (wish: string) => wish !== 'free'
  return [
    ...(begins || free(start)
      ? [
          {
            side: 'begins',
            text: begins ? 'as it begins' : 'begin as it begins',
            hint: begins ? 'Click to let it begin elsewhere' : 'Click to let it begin as it begins',
            wish: { what: 'start', kind: begins ? 'cold' : free(start) ? 'free' : 'top' } as Wish,
            bedX: map.value.bedX(0) + 3,
            cutX: map.value.cutX(0) + 3,
            anchor: 'start',
          },
        ]
      : []),
    ...(props.cut.bed?.reading?.ending === 'ownEnding' && (ends || free(end))
      ? [
          {
            side: 'ends',
            text: ends ? 'as it ends' : 'end as it ends',
            hint: ends ? 'Click to let it end elsewhere' : 'Click to let it end as it ends',
            wish: { what: 'end', kind: ends ? 'stop' : free(end) ? 'free' : 'ownEnding' } as Wish,
            bedX: Math.min(map.value.right, last?.to ?? map.value.right) - 3,
            cutX: map.value.right - 10,
            anchor: 'end',
          },
        ]
      : []),
  ] as const
})
let lengthFrom: { x: number; lengthS: number } | null = null

watch(
  () => props.cut.plan.revision,
  () => (marked.value = null),
)

const wish = (wished: Wish) => emit('say', { about: 'fit', do: 'wish', wish: wished })

function hold(event: PointerEvent) {
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
}

function beginMark(event: PointerEvent) {
  hold(event)
  markFrom.value = map.value.bedSeconds(px(event))
  marked.value = null
}
function mark(event: PointerEvent) {
  const from = markFrom.value
  if (from === null) return
  const to = map.value.bedSeconds(px(event))
  const [a, b] = [bar(Math.min(from, to)), bar(Math.max(from, to))]
  if (Math.abs(to - from) > 0.3)
    marked.value = { startS: a.atS, endS: lines.value[Math.max(b.index, a.index + 1)] ?? b.atS }
}
function endMark(event: PointerEvent) {
  const at = map.value.bedSeconds(px(event))
  if (markFrom.value !== null && !marked.value) {
    // A click marks the section under it.
    const section = props.cut.bed?.reading?.sections.find((s) => at >= s.startS && at < s.endS)
    if (section) marked.value = { startS: section.startS, endS: section.endS }
  }
  markFrom.value = null
}
function say(what: 'keep' | 'leaveOut' | 'free') {
  const { startS, endS } = marked.value ?? {}
  if (startS !== undefined && endS !== undefined)
    wish({ what, startSamples: samples(startS), endSamples: samples(endS) })
  marked.value = null
}

function grabEdge(event: PointerEvent, piece: number, side: 'leave' | 'enter') {
  hold(event)
  const splice = side === 'leave' ? piece : piece - 1
  const name = props.fitting.splices[splice]?.name
  if (name) dragged.value = { splice, side, toS: secondsOf(side === 'leave' ? name.leaveSamples : name.enterSamples) }
}
function dragEdge(event: PointerEvent) {
  if (dragged.value) dragged.value = { ...dragged.value, toS: bar(map.value.bedSeconds(px(event))).atS }
}
/** The other side follows by as many bars, so that the length holds; with Shift it stays where it is. */
function dropEdge(event: PointerEvent) {
  const now = dragged.value
  dragged.value = null
  const name = now && props.fitting.splices[now.splice]?.name
  if (!now || !name) return
  const { side, toS } = now
  const old = secondsOf(side === 'leave' ? name.leaveSamples : name.enterSamples)
  if (bar(toS).index === bar(old).index) return
  const change = { splice: name, side, toSamples: samples(toS), alone: event.shiftKey }
  emit('say', { about: 'fit', do: 'moveSplice', ...change })
}

const unpin = (cutS: number) =>
  emit('say', { about: 'fit', do: 'takeBack', wish: { what: 'pin', cutSamples: samples(cutS) } })

function pull(event: PointerEvent) {
  hold(event)
  pulled.value = { bedS: bar(map.value.bedSeconds(px(event))).atS, x: px(event), y: MAP.rail }
}
function pulling(event: PointerEvent) {
  const box = holder.value?.getBoundingClientRect()
  if (pulled.value && box) pulled.value = { ...pulled.value, x: px(event), y: event.clientY - box.top }
}
function letGo() {
  const now = pulled.value
  pulled.value = null
  if (!now || now.y < MAP.ribbonBottom - 20) return
  // A shot or a moment nearby is what was meant.
  const seconds = map.value.cutSeconds(now.x)
  const marks = [...props.cut.shots, ...props.cut.moments].map((one) => one.atS)
  const near = nearest(marks, seconds)
  const meant = marks.length && Math.abs(map.value.cutX(near.atS) - now.x) < 9 ? near.atS : seconds
  wish({ what: 'pin', bedSamples: samples(now.bedS), cutSamples: samples(meant) })
}

function grabLength(event: PointerEvent) {
  hold(event)
  lengthFrom = { x: event.clientX, lengthS: props.cut.lengthS }
}
function dragLength(event: PointerEvent) {
  if (!lengthFrom) return
  const perPx = lengthFrom.lengthS / (map.value.right - 8)
  emit('tryLength', Math.max(2, lengthFrom.lengthS + (event.clientX - lengthFrom.x) * perPx))
}
function dropLength() {
  if (lengthFrom && props.triedS !== null) emit('setLength', props.triedS)
  lengthFrom = null
}
function stepLength(event: KeyboardEvent) {
  const frame = props.cut.rate.den / props.cut.rate.num
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  if (event.key === 'Enter' && props.triedS !== null) emit('setLength', props.triedS)
  else if (step) emit('tryLength', Math.max(2, lengthS.value + step * (event.shiftKey ? frame : 1)))
  else return
  event.preventDefault()
  event.stopPropagation()
}

onKeyStroke('Escape', () => {
  marked.value = null
  dragged.value = null
  pulled.value = null
})
for (const [key, what] of [
  ['k', 'keep'],
  ['o', 'leaveOut'],
  ['f', 'free'],
] as const)
  onKeyStroke(key, (event) => {
    if (!marked.value || (event.target as HTMLElement).matches('input, textarea')) return
    event.preventDefault()
    say(what)
  })
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
        :fill="RIBBONS[ribbon.piece % RIBBONS.length]"
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
        @pointerdown="beginMark"
        @pointermove="mark"
        @pointerup="endMark"
      />
      <rect
        x="8"
        :y="MAP.rail - 4"
        :width="map.right - 8"
        height="9"
        class="touch rail"
        data-test="pin-rail"
        @pointerdown="pull"
        @pointermove="pulling"
        @pointerup="letGo"
      >
        <title>Pull a bar line down to a moment of the cut to pin it there</title>
      </rect>
      <g
        v-for="edge in edges"
        :key="edge.side"
        class="kept-edge"
        role="button"
        tabindex="0"
        :aria-label="`${edge.text}. ${edge.hint}`"
        :data-test="`as-${edge.side}`"
        @click="wish(edge.wish)"
        @keydown.enter.stop="wish(edge.wish)"
      >
        <title>{{ edge.hint }}</title>
        <text :x="edge.bedX" :y="MAP.ribbonTop + 13" :text-anchor="edge.anchor">{{ edge.text }}</text>
        <text :x="edge.cutX" :y="MAP.ribbonBottom - 5" :text-anchor="edge.anchor">{{ edge.text }}</text>
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
          @pointerdown="grabEdge($event, ribbon.piece, edge.side)"
          @pointermove="dragEdge"
          @pointerup="dropEdge"
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
        @click="emit('seek', map.cutSeconds(px($event)))"
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
        @pointerdown="grabLength"
        @pointermove="dragLength"
        @pointerup="dropLength"
        @keydown="stepLength"
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
      v-if="marked && markFrom === null"
      class="choice"
      role="toolbar"
      aria-label="The marked passage"
      :style="{ left: `${Math.min(map.bedX(marked.startS), (width || 1000) - 330)}px` }"
    >
      <button class="plain" data-test="keep" @click="say('keep')">keep it <kbd>K</kbd></button>
      <button class="plain" data-test="leave-out" @click="say('leaveOut')">leave it out <kbd>O</kbd></button>
      <button class="plain" data-test="free" @click="say('free')">let it be free <kbd>F</kbd></button>
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
  fill: #ece4d2;
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
  fill: rgb(122 51 40 / 12%);
}
.marked {
  fill: rgb(76 107 47 / 18%);
  stroke: var(--hand);
}
.kept {
  fill: none;
  stroke: var(--hand);
  stroke-width: 2;
}
.unwanted {
  fill: rgb(122 51 40 / 10%);
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
  background: #fffdf6;
  border: 1px solid var(--line);
  border-radius: 3px;
  box-shadow: 0 2px 8px rgb(31 36 48 / 12%);
}
</style>
