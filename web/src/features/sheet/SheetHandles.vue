<script setup lang="ts">
import { ref, watch } from 'vue'
import type { SheetLayout } from '../../drawing/sheet'
import type { Change } from '../../shared/http'
import { useBurst } from '../../shared/burst'
import { useEscape } from '../../shared/keys'
import { clock, decibels } from '../../shared/words'
import { placeWords, type Handle } from './handles'

/**
 * What can be taken hold of on the sheet, as buttons over the drawing: reached by Tab, moved by arrows (with Shift by whole
 * seconds, up and down for its level), dragged by mouse or finger. What comes near a moment or a shot lies on it.
 */
const props = defineProps<{ handles: Handle[]; sheet: SheetLayout; marksS: number[] }>()
const emit = defineEmits<{
  say: [change: Change]
  open: [handle: Handle]
  /** What would be said if the hand let go now; nothing when it is given up. */
  hand: [change: Change | null]
}>()

const SNAP_PX = 6
/** So far it is a click. */
const CLICK_PX = 3
const dragged = ref<{ handle: Handle; fromX: number; toS: number; moved: boolean; dropped: boolean } | null>(null)
useEscape(() => {
  if (dragged.value?.moved) emit('hand', null)
  dragged.value = null
})
/** It stays where it was dropped until the sheet is drawn anew. */
watch(
  () => props.handles,
  () => {
    if (dragged.value?.dropped) dragged.value = null
    if (aimed.value?.said) aimed.value = null
  },
)

function within(handle: Handle, seconds: number) {
  return Math.min(handle.untilS, Math.max(handle.fromS, seconds))
}

function grab(event: PointerEvent, handle: Handle) {
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  dragged.value = { handle, fromX: event.clientX, toS: handle.atS, moved: false, dropped: false }
}
function drag(event: PointerEvent) {
  const now = dragged.value
  if (!now || now.dropped) return
  const box = (event.currentTarget as Element).parentElement!.getBoundingClientRect()
  const line = Math.min(
    props.sheet.count - 1,
    Math.max(0, Math.floor((event.clientY - box.top) / props.sheet.lineHeight)),
  )
  const px = event.clientX - box.left
  const free = props.sheet.seconds(line, px)
  const near = props.marksS.find((s) => s !== now.handle.atS && Math.abs(props.sheet.x(line, s) - px) < SNAP_PX)
  const toS = within(now.handle, near ?? Math.round(free * 100) / 100)
  const moved = now.moved || Math.abs(event.clientX - now.fromX) > CLICK_PX
  if (moved && toS !== now.toS) emit('hand', now.handle.at(toS))
  dragged.value = { ...now, toS, moved }
}
function drop() {
  const now = dragged.value
  if (!now || now.dropped) return
  if (!now.moved) {
    dragged.value = null
    emit('open', now.handle)
  } else if (Math.abs(now.toS - now.handle.atS) < 1e-6) dragged.value = null
  else {
    dragged.value = { ...now, dropped: true }
    emit('say', now.handle.at(now.toS))
    // Where it was refused it is where it was.
    setTimeout(() => dragged.value?.dropped && (dragged.value = null), 3000)
  }
}

/** What a burst of arrow keys asks for: it is said once, when no more keys come. */
const aimed = ref<{ key: string; toS: number | null; byDb: number; said: boolean } | null>(null)
const burst = useBurst()
function say() {
  const now = aimed.value
  // By its name of now: what was said before may have moved it.
  const handle = props.handles.find((one) => one.key === now?.key)
  if (!now || now.said || !handle) return
  aimed.value = { ...now, said: true }
  if (now.toS !== null && Math.abs(now.toS - handle.atS) > 1e-6) emit('say', handle.at(now.toS))
  else if (now.byDb && handle.louder) emit('say', handle.louder(now.byDb))
  else aimed.value = null
}
function aim(handle: Handle, byS: number, byDb: number) {
  const same = aimed.value?.key === handle.key && !aimed.value.said ? aimed.value : null
  if (same && (same.toS === null) !== (byS === 0)) burst.now()
  const before = aimed.value?.key === handle.key ? aimed.value : null
  const toS = byS ? within(handle, Math.round(((before?.toS ?? handle.atS) + byS) * 100) / 100) : null
  aimed.value = { key: handle.key, toS, byDb: (before && !before.said ? before.byDb : 0) + byDb, said: false }
  const byAll = aimed.value.byDb
  if (toS !== null || handle.louder) emit('hand', toS === null ? handle.louder!(byAll) : handle.at(toS))
  burst.later(say)
}

function press(event: KeyboardEvent, handle: Handle) {
  const far = event.shiftKey ? 1 : 0.1
  const byS = { ArrowLeft: -far, ArrowRight: far }[event.key] ?? 0
  const byDb = handle.louder ? ({ ArrowUp: 1, ArrowDown: -1 }[event.key] ?? 0) : 0
  if (event.key === 'Enter' || event.key === ' ') emit('open', handle)
  else if (byS || byDb) aim(handle, byS, byDb)
  else return
  event.preventDefault()
}

/** Where a handle is to be drawn: where it is held, where keys have brought it, or where it lies. */
function shownS(handle: Handle) {
  if (dragged.value?.handle.key === handle.key) return dragged.value.toS
  return (aimed.value?.key === handle.key ? aimed.value.toS : null) ?? handle.atS
}
function placed(handle: Handle) {
  const perLine = props.sheet.seconds(0, props.sheet.right)
  const atS = shownS(handle)
  const line = Math.min(props.sheet.count - 1, Math.max(0, Math.ceil(atS / perLine - 1e-6) - 1))
  const [at, x] = atS === handle.atS ? [handle.line, handle.x] : [line, props.sheet.x(line, atS)]
  return { left: `${x}px`, top: `${at * props.sheet.lineHeight + handle.y}px` }
}
/** While it is on its way, the time stands beside it. */
function wordsOf(handle: Handle) {
  const moving = dragged.value?.handle.key === handle.key ? dragged.value.moved : aimed.value?.key === handle.key
  if (!moving) return null
  const now = aimed.value?.key === handle.key ? aimed.value : null
  return now?.byDb && now.toS === null
    ? `${now.byDb > 0 ? '+' : ''}${decibels(now.byDb)} dB`
    : clock(shownS(handle), true)
}
</script>

<template>
  <div class="handles">
    <div
      v-for="handle in handles"
      :key="handle.key"
      :class="['handle', handle.look, { held: dragged?.handle.key === handle.key }]"
      :style="placed(handle)"
      role="slider"
      tabindex="0"
      :aria-label="handle.label"
      :aria-valuenow="shownS(handle)"
      :aria-valuemin="handle.fromS"
      :aria-valuemax="handle.untilS"
      :aria-valuetext="placeWords(handle, shownS(handle))"
      :title="placeWords(handle, handle.atS)"
      :data-test="`handle-${handle.look}`"
      @pointerdown="grab($event, handle)"
      @pointermove="drag"
      @pointerup="drop"
      @pointercancel="dragged = null"
      @keydown="press($event, handle)"
      @blur="burst.now"
    >
      <span v-if="wordsOf(handle)" class="where numbers">{{ wordsOf(handle) }}</span>
    </div>
  </div>
</template>

<style scoped>
.handles {
  position: absolute;
  inset: 0 0 auto 0;
  height: 0;
}
.handle {
  position: absolute;
  width: 12px;
  height: 16px;
  margin: -8px 0 0 -6px;
  cursor: ew-resize;
  touch-action: none;
}
.handle::before {
  position: absolute;
  content: '';
  background: var(--ink);
  opacity: 0;
}
.handle:hover::before,
.handle:focus-visible::before,
.handle.held::before {
  opacity: 1;
}
.handle.edge::before {
  inset: 1px 5px;
}
.handle.tip::before,
.handle.wedge::before {
  inset: 5px 3px;
  border-radius: 50%;
}
/* The wedge itself is dragged, along and up and down; this is where the keyboard finds it. */
.handle.wedge {
  pointer-events: none;
}
.handle.moment::before {
  inset: 3px 2px 5px;
  background: var(--voice);
  clip-path: polygon(0 0, 100% 0, 50% 100%);
}
.where {
  position: absolute;
  bottom: 100%;
  left: 50%;
  padding: 0 4px;
  font-size: 11px;
  background: var(--ground);
  transform: translateX(-50%);
}
/* A finger is wider than a pointer. */
@media (pointer: coarse) {
  .handle {
    width: 30px;
    height: 30px;
    margin: -15px 0 0 -15px;
  }
  .handle.edge::before {
    inset: 6px 14px;
  }
  .handle.tip::before,
  .handle.wedge::before {
    inset: 11px;
  }
  .handle.moment::before {
    inset: 9px 10px 11px;
  }
}
@media print {
  .handles {
    display: none;
  }
}
</style>
