<script setup lang="ts">
import { useElementSize, useScroll } from '@vueuse/core'
import { computed, ref, watch } from 'vue'
import { LANE_PX, rowCount, type LaneView } from '../../drawing/lanes'
import { layoutSheet, LINE_PX, ROWS, type Voices } from '../../drawing/sheet'
import type { Change, CutView, LevelView, WaveformView } from '../../shared/http'
import { useEscape } from '../../shared/keys'
import RemarkFlags from '../clients/RemarkFlags.vue'
import { setDone } from '../clients/remarks'
import { levelKey } from './choices'
import { sheetHandles, type Handle } from './handles'
import SheetHandles from './SheetHandles.vue'
import SheetOthers from './SheetOthers.vue'
import SheetWedge from './SheetWedge.vue'
import SheetLanes from './SheetLanes.vue'
import SheetLine from './SheetLine.vue'
import { PAPER, usePaper } from './usePaper'
import { useWedge, type WedgeChange } from './useWedge'

const props = defineProps<{
  cut: CutView
  waveform: WaveformView | null
  /** Waveforms of takes, by their hash. */
  voices?: Voices
  secondsPerLine: number
  positionS: number
  passage: { fromS: number; toS: number } | null
  /** The lane of the passage; that of the bed without one. */
  passageLane?: LaneView | null
  selected: LevelView | null
  /** Who else looks at it, and where. */
  others?: { window: string; name: string; atS: number; marked?: [number, number] | null }[]
}>()
const emit = defineEmits<{
  seek: [seconds: number]
  passage: [fromS: number, toS: number, lane: LaneView | null]
  select: [level: LevelView, x: number, y: number, lane: LaneView | null]
  say: [change: Change]
  phrase: [index: number, x: number, y: number]
  change: [level: LevelView, change: WedgeChange]
  /** What a drag of a wedge would change; no level when it is given up. */
  hand: [level: LevelView | null, change: WedgeChange]
  /** What a drag of anything else would. */
  handle: [change: Change | null]
  /** The bed rises at the close from here on. */
  riseFrom: [seconds: number]
}>()

const isSelected = (level: LevelView) =>
  props.selected !== null && levelKey(props.selected.name) === levelKey(level.name)
const holder = ref<HTMLElement>()
const { width, height } = useElementSize(holder)
const { printing, print, pages } = usePaper(() => sheet.value)
defineExpose({ print })
const lineCount = computed(() => Math.max(1, Math.ceil(props.cut.lengthS / props.secondsPerLine - 1e-6)))
/** Lines share the height while they fit, and scroll when they do not. */
const lineHeight = computed(() => {
  const lanesPx = LANE_PX * rowCount(props.cut.plan.lanes)
  if (printing.value) return PAPER.linePx + lanesPx
  return Math.max(LINE_PX + lanesPx, Math.min(136, Math.floor((height.value || 700) / lineCount.value)))
})
/** An hour has hundreds of lines: only those that are seen are drawn, and one above and below. */
const { y: scrolledPx } = useScroll(holder)
const seen = computed(() =>
  printing.value
    ? { first: 0, last: Infinity }
    : {
        first: Math.floor(scrolledPx.value / lineHeight.value) - 1,
        last: Math.ceil((scrolledPx.value + (height.value || 700)) / lineHeight.value),
      },
)
const sheetWidth = computed(() => (printing.value ? PAPER.widthPx : width.value || 1000))
const sheet = computed(() =>
  layoutSheet(
    props.cut,
    props.waveform,
    props.secondsPerLine,
    sheetWidth.value,
    lineHeight.value,
    seen.value,
    props.voices,
  ),
)
const playLine = computed(() => Math.min(lineCount.value - 1, Math.floor(props.positionS / props.secondsPerLine)))
/** The page turns with the playhead. */
watch(playLine, (line) => {
  const top = line * lineHeight.value
  const below = top + lineHeight.value > scrolledPx.value + height.value
  if (holder.value && (top < scrolledPx.value || below)) holder.value.scrollTo?.({ top, behavior: 'smooth' })
})

const drag = ref<{ line: number; fromS: number; lane: LaneView | null } | null>(null)

function timeAt(event: PointerEvent, line: number): number {
  const box = (event.currentTarget as SVGElement).ownerSVGElement?.getBoundingClientRect()
  return sheet.value.seconds(line, event.clientX - (box?.left ?? 0))
}

function down(event: PointerEvent, line: number, lane: LaneView | null = null) {
  ;(event.currentTarget as SVGElement).setPointerCapture(event.pointerId)
  drag.value = { line, fromS: timeAt(event, line), lane }
}

function up(event: PointerEvent) {
  if (!drag.value) return
  const { line, fromS, lane } = drag.value
  const box = (event.currentTarget as SVGElement).ownerSVGElement?.getBoundingClientRect()
  // A drag may end on a lower line: what lies between is one passage.
  const lower = Math.floor((event.clientY - (box?.top ?? 0)) / sheet.value.lineHeight)
  const toS = sheet.value.seconds(Math.min(lineCount.value - 1, Math.max(0, lower)), event.clientX - (box?.left ?? 0))
  drag.value = null
  if (Math.abs(toS - fromS) < 0.3) emit('seek', sheet.value.seconds(line, event.clientX - (box?.left ?? 0)))
  else emit('passage', Math.min(fromS, toS), Math.max(fromS, toS), lane)
}

/** Where the words of a mark stand, in px below the middle of the band. */
const MARK_BELOW: Partial<Record<LevelView['kind'], number>> = { emphasis: ROWS.words + 17 - ROWS.band, sweep: 16 }

useEscape(() => (drag.value = null))
const gesture = useWedge(
  () => sheet.value,
  () => props.secondsPerLine,
  {
    hand: (level, change) => emit('hand', level, change),
    change: (level, change) => emit('change', level, change),
    open: (pin, line) => emit('select', pin.level, pin.x, topOf(line), null),
    riseFrom: (seconds) => emit('riseFrom', seconds),
  },
)

const handles = computed(() => sheetHandles(props.cut, sheet.value, props.secondsPerLine))
/** What an edge that comes near lies on. */
const marksS = computed(() => [...props.cut.moments, ...props.cut.shots].map((one) => one.atS))
function open(handle: Handle) {
  const top = handle.line * sheet.value.lineHeight + handle.y
  if (handle.level) emit('select', handle.level, handle.x, top, handle.lane ?? null)
  else emit('seek', handle.atS)
}
/** Where a flag of a remark stands: on the band, its pole at the moment; shots and letters above it stay readable. */
function flagAt(seconds: number) {
  const line = Math.min(lineCount.value - 1, Math.floor(seconds / props.secondsPerLine))
  return { x: sheet.value.x(line, seconds), y: line * sheet.value.lineHeight + ROWS.band - 24 }
}
const laneOf = (index: number) => props.cut.plan.lanes[index] ?? null
/** Where the wedges of a line lie on the sheet. */
const topOf = (line: number) => line * sheet.value.lineHeight + ROWS.hairpins
/** What is marked of a line in the lane of the passage. */
function markedLane(line: { index: number; startS: number; endS: number }) {
  const name = JSON.stringify(props.passageLane?.lane)
  const lane = props.passageLane ? props.cut.plan.lanes.findIndex((one) => JSON.stringify(one.lane) === name) : -1
  const shaded = lane < 0 ? null : shade(line)
  return shaded && { ...shaded, lane }
}

/** Playheads of others on a line, and what they have marked of it. */
function othersOn(line: { index: number; startS: number; endS: number }) {
  return (props.others ?? []).map((one) => ({
    window: one.window,
    name: one.name,
    x: one.atS >= line.startS && one.atS < line.endS ? sheet.value.x(line.index, one.atS) : null,
    marked: one.marked ? shade(line, { fromS: one.marked[0], toS: one.marked[1] }) : null,
  }))
}
function shade(line: { index: number; startS: number; endS: number }, passage = props.passage) {
  if (!passage) return null
  const from = Math.max(line.startS, passage.fromS)
  const to = Math.min(line.endS, passage.toS)
  return to > from
    ? { x: sheet.value.x(line.index, from), width: sheet.value.x(line.index, to) - sheet.value.x(line.index, from) }
    : null
}
</script>

<template>
  <div ref="holder" class="sheet" data-test="sheet">
    <svg
      class="score"
      :width="printing ? 0 : width"
      :height="printing ? 0 : sheet.count * sheet.lineHeight"
      aria-hidden="true"
    >
      <pattern id="hatch" width="5" height="6" patternUnits="userSpaceOnUse">
        <path d="M0 6 5 0" class="hatch" />
      </pattern>
      <clipPath id="within-line">
        <rect :x="sheet.left - 4" y="0" :width="sheet.right - sheet.left + 8" :height="sheet.lineHeight" />
      </clipPath>
      <g id="sheet-lines" class="score">
        <g v-for="line in sheet.lines" :key="line.index" :transform="`translate(0 ${line.index * sheet.lineHeight})`">
          <SheetLine :line="line" :left="sheet.left" :passage="passageLane ? null : shade(line)" />
          <rect
            :x="sheet.left"
            :y="ROWS.band - 26"
            :width="Math.max(0, line.endX - sheet.left)"
            height="52"
            class="touch"
            data-test="line"
            @pointerdown="down($event, line.index)"
            @pointerup="up"
            @pointercancel="drag = null"
          />
          <SheetWedge
            v-for="(pin, k) in line.hairpins"
            :key="`h${k}`"
            :pin="pin"
            :line="line.index"
            :selected="isSelected(pin.level)"
            :gesture="gesture"
          />
          <g
            v-for="mark in line.marks"
            :key="levelKey(mark.level.name)"
            :class="['hairpin', { hand: mark.level.byHand, selected: isSelected(mark.level) }]"
          >
            <path v-if="mark.level.kind === 'sweep'" :d="`M${mark.x} ${ROWS.band + 20}v3h${mark.width}v-3`" />
            <text
              :x="mark.x"
              :y="ROWS.band + (MARK_BELOW[mark.level.kind] ?? 31)"
              :class="['mark-text', { within: mark.level.kind === 'sweep' }]"
              data-test="level-mark"
              @click="emit('select', mark.level, mark.x, topOf(line.index), null)"
            >
              {{ mark.text }}
            </text>
          </g>
          <text
            v-for="bed in line.entering"
            :key="`e${bed.x}`"
            :x="bed.x"
            :y="ROWS.band - 10"
            class="entering within"
            data-test="entering"
          >
            {{ bed.text }}
          </text>
          <SheetLanes
            :lanes="line.lanes"
            :marked="markedLane(line)"
            @grab="(event, lane) => down(event, line.index, laneOf(lane))"
            @drop="up"
            @select="(level, x, lane) => emit('select', level, x, topOf(line.index), laneOf(lane))"
          />
          <path v-for="(path, k) in line.voice" :key="`v${k}`" :d="path" class="spoken" data-test="spoken" />
          <g
            v-for="(word, k) in line.words"
            :key="`w${k}`"
            class="words"
            data-test="words"
            @click="emit('phrase', word.phrase, word.x, line.index * sheet.lineHeight + ROWS.words)"
          >
            <rect :x="word.x" :y="ROWS.words - 12" :width="word.width" height="18" class="touch" />
            <line :x1="word.x" :x2="word.x + word.width" :y1="ROWS.words + 5" :y2="ROWS.words + 5" />
            <text
              :x="word.x"
              :y="ROWS.words"
              :textLength="word.squeezed ? word.width : undefined"
              lengthAdjust="spacingAndGlyphs"
            >
              {{ word.text }}
            </text>
          </g>
          <SheetOthers :others="othersOn(line)" />
          <line
            v-if="line.index === playLine"
            :x1="sheet.x(line.index, positionS)"
            :x2="sheet.x(line.index, positionS)"
            :y1="ROWS.band - 30"
            :y2="ROWS.words + 6"
            class="play"
          />
        </g>
      </g>
    </svg>
    <SheetHandles
      v-if="!printing"
      :handles="handles"
      :sheet="sheet"
      :marks-s="marksS"
      @say="(change) => emit('say', change)"
      @hand="(change) => emit('handle', change)"
      @open="open"
    />
    <RemarkFlags
      v-if="!printing"
      :remarks="cut.remarks"
      :at="flagAt"
      @seek="(s) => emit('seek', s)"
      @done="(remark) => setDone(cut.id, remark)"
    />
    <template v-if="printing">
      <section v-for="page in pages" :key="page.number" class="paper-page">
        <h1>{{ cut.title }}</h1>
        <p class="numbers">
          {{ cut.lengthTimecode }} at {{ cut.rate.label }} frames, revision {{ cut.plan.revision }}, page
          {{ page.number }} of
          {{ pages.length }}
        </p>
        <svg class="score" :viewBox="`0 ${page.top} ${PAPER.widthPx} ${page.height}`"><use href="#sheet-lines" /></svg>
      </section>
    </template>
  </div>
</template>

<style scoped>
.sheet svg {
  display: block;
}
.paper-page {
  break-after: page;
}
.paper-page h1 {
  font-size: 22px;
}
.paper-page svg {
  width: 100%;
}
@media print {
  .sheet {
    height: auto;
    overflow: visible;
  }
  .score .play {
    display: none;
  }
}
.sheet {
  height: 100%;
  /* By finger, along a line marks a passage, up and down scrolls. */
  touch-action: pan-y;
  overflow: hidden auto;
  position: relative;
}
.mark-text {
  cursor: pointer;
  fill: var(--soft);
}
.hatch {
  stroke: var(--soft);
}
.within {
  stroke: var(--ground);
  stroke-width: 3;
  paint-order: stroke;
}
.entering {
  font-size: 11px;
  font-style: italic;
}
.spoken {
  fill: var(--voice);
  opacity: 0.13;
}
.words {
  cursor: pointer;
}
.words text {
  font-family: var(--serif);
  font-size: 13px;
  fill: var(--voice);
}
.words line {
  stroke: var(--voice);
  opacity: 0.55;
}
</style>

<style>
.sheet .hairpin path {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.2;
}
.sheet .hairpin circle {
  fill: var(--ground);
  stroke: var(--soft);
}
.sheet .hairpin text {
  font-size: 11px;
}
.sheet .hairpin.hand path {
  stroke: var(--hand);
  stroke-width: 2;
}
.sheet .hairpin.selected path {
  stroke-width: 2.4;
}
.sheet .asked {
  font-weight: 700;
}
</style>
