<script setup lang="ts">
import { computed, ref } from 'vue'
import { barAt, barRows, MOTIONS, type BedReading } from '../../drawing/bars'
import { clock } from '../../shared/words'

/** The bed as a page of bars: a phrase a row, so that form is seen like verses on a page. */
const props = defineProps<{ reading: BedReading; positionS: number; playing: boolean; selected: number | null }>()
const emit = defineEmits<{
  hear: [bar: number]
  moveBoundary: [fromS: number, toS: number]
}>()

const rows = computed(() => barRows(props.reading))
const heard = computed(() => barAt(props.reading, props.positionS))
const page = ref<HTMLElement>()

/** The section whose beginning is being dragged, and the bar it would begin at. */
const dragged = ref<{ fromS: number; bar: number } | null>(null)

function grab(event: PointerEvent, startS: number, index: number) {
  if (index === 0) return
  dragged.value = { fromS: startS, bar: barAt(props.reading, startS + 0.01) }
  ;(event.currentTarget as HTMLElement).setPointerCapture(event.pointerId)
}

function drag(event: PointerEvent) {
  if (!dragged.value) return
  const cell = document.elementFromPoint(event.clientX, event.clientY)?.closest<HTMLElement>('[data-bar]')
  if (cell) dragged.value.bar = Number(cell.dataset['bar'])
}

function drop() {
  const now = dragged.value
  dragged.value = null
  const toS = now ? props.reading.barLinesS[now.bar - 1] : undefined
  if (now && toS !== undefined && Math.abs(toS - now.fromS) > 0.01) emit('moveBoundary', now.fromS, toS)
}

/** Arrow keys go from bar to bar, up and down from row to row. */
function walk(event: KeyboardEvent, bar: number) {
  const step = { ArrowLeft: -1, ArrowRight: 1 }[event.key]
  let target = step ? bar + step : null
  if (event.key === 'ArrowUp' || event.key === 'ArrowDown') {
    const row = rows.value.findIndex((r) => r.cells.some((cell) => cell.bar === bar))
    const column = rows.value[row]?.cells.findIndex((cell) => cell.bar === bar) ?? 0
    const cells = rows.value[row + (event.key === 'ArrowUp' ? -1 : 1)]?.cells
    target = cells?.[Math.min(column, cells.length - 1)]?.bar ?? null
  }
  if (target === null) return
  event.preventDefault()
  event.stopPropagation()
  page.value?.querySelector<HTMLElement>(`[data-bar="${target}"]`)?.focus()
}
</script>

<template>
  <div ref="page" class="page" data-test="bars">
    <div v-for="row in rows" :key="row.cells[0]?.bar" class="row" :class="{ begins: row.begins }">
      <span v-if="row.begins" class="head">
        <span
          class="letter"
          :class="{ fixed: row.sectionIndex === 0 }"
          :title="row.sectionIndex ? 'Drag to the bar where this section begins' : undefined"
          data-test="letter"
          @pointerdown="grab($event, row.section.startS, row.sectionIndex)"
          @pointermove="drag"
          @pointerup="drop"
          @pointercancel="dragged = null"
          >{{ row.section.label }}</span
        >
        <span v-if="row.section.name" class="called">{{ row.section.name }}</span>
        <span v-else class="numbers soft">{{ clock(row.section.startS) }}</span>
      </span>
      <span v-else />
      <div class="bars">
        <button
          v-for="cell in row.cells"
          :key="cell.bar"
          class="bar numbers"
          :class="{
            new: cell.like === null,
            sung: cell.sung,
            heard: playing && heard === cell.bar,
            selected: selected === cell.bar,
            target: dragged?.bar === cell.bar,
          }"
          :data-bar="cell.bar"
          data-test="bar"
          :aria-label="cell.label"
          :aria-pressed="selected === cell.bar"
          :title="cell.like ? `sounds like bar ${cell.like}` : undefined"
          @click="emit('hear', cell.bar)"
          @keydown="walk($event, cell.bar)"
        >
          <span class="level" :style="{ height: `${Math.round(cell.fill * 100)}%` }" />
          <span class="number">{{ cell.bar }}</span>
          <span v-if="cell.like" class="like" :data-like="cell.like"></span>
          <span v-if="cell.firstSound" class="sign" title="first sound">▸</span>
          <svg
            v-else-if="cell.motion && !cell.lastHit"
            class="sign motion"
            width="18"
            height="10"
            viewBox="0 0 18 10"
            role="img"
            :aria-label="MOTIONS[cell.motion]"
          >
            <title>{{ MOTIONS[cell.motion] }} from here</title>
            <path v-if="cell.motion === 'builds'" d="M17 1 1 5l16 4" />
            <path v-else-if="cell.motion === 'fillsOut'" d="M4 9V6M9 9V3.500M14 9V1" class="bars-sign" />
            <path v-else d="M4 9V1M9 9V5M14 9V7.500" class="bars-sign" />
          </svg>
          <svg v-if="cell.lastHit" class="sign" width="16" height="10" viewBox="0 0 16 10" aria-hidden="true">
            <path v-if="reading.ending === 'ownEnding'" d="M1 9a7 7 0 0 1 14 0M8 7.5v.1" />
            <path v-else d="M1 1 15 5 1 9" />
          </svg>
        </button>
      </div>
    </div>
    <table class="unseen">
      <caption>
        Sections of the bed
      </caption>
      <tbody>
        <tr v-for="section in reading.sections" :key="section.startBar">
          <th scope="row">{{ section.label }} {{ section.name }}</th>
          <td>bars {{ section.startBar }} to {{ section.endBar }}</td>
          <td>{{ clock(section.startS, true) }} to {{ clock(section.endS, true) }}</td>
        </tr>
      </tbody>
    </table>
    <table class="unseen">
      <caption>
        Where the bed moves
      </caption>
      <tbody>
        <tr v-for="arc in reading.arcs" :key="arc.startBar">
          <th scope="row">{{ MOTIONS[arc.motion] }}</th>
          <td>bar {{ arc.startBar }} to {{ arc.endBar }}</td>
          <td>{{ arc.changeDb.toFixed(0) }} dB</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: 74px 1fr;
  gap: 8px;
  align-items: start;
  margin-bottom: 3px;
}
.row.begins:not(:first-child) {
  margin-top: 9px;
}
.head {
  display: flex;
  gap: 6px;
  align-items: baseline;
  min-width: 0;
}
.letter {
  flex: none;
  min-width: 18px;
  border: 1px solid var(--ink);
  background: var(--ground);
  text-align: center;
  font-weight: 700;
  font-size: 12px;
  cursor: grab;
  touch-action: none;
}
.letter.fixed {
  cursor: default;
}
.called {
  font-family: var(--serif);
  font-style: italic;
  overflow: hidden;
  text-overflow: ellipsis;
}
.bars {
  display: grid;
  grid-template-columns: repeat(8, minmax(36px, 1fr));
  gap: 3px;
}
.bar {
  position: relative;
  height: 30px;
  padding: 0;
  border: 1px solid var(--line);
  background: var(--card);
  color: var(--ink);
  font-size: 11px;
  text-align: left;
  cursor: pointer;
  overflow: hidden;
}
.level {
  position: absolute;
  left: 0;
  right: 0;
  bottom: 0;
  background: color-mix(in srgb, var(--band) 20%, transparent);
}
.bar.new .level {
  background: var(--new-bar);
}
.number,
.like,
.sign {
  position: absolute;
  line-height: 1;
}
.number {
  left: 5px;
  top: 4px;
}
.like {
  right: 5px;
  bottom: 4px;
  color: var(--ink);
}
.like::before {
  content: '= ' attr(data-like);
}
.sign {
  right: 5px;
  top: 4px;
}
svg.sign path {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.8;
  stroke-linecap: round;
}
.bar.sung {
  border-bottom: 3px solid var(--voice);
}
.bar.heard {
  box-shadow: inset 0 0 0 2px var(--ink);
}
.bar.selected {
  border-color: var(--ink);
}
.bar.target {
  box-shadow: inset 4px 0 0 var(--voice);
}
</style>
