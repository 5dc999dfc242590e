<script setup lang="ts">
import { computed, ref } from 'vue'
import type { RemarkView } from '../../shared/http'
import { useEscape } from '../../shared/keys'
import { clock } from '../../shared/words'
import { said } from './remarks'

/** What was said of moments stands on the sheet until it is done. */
const props = defineProps<{
  remarks: RemarkView[]
  /** Where a moment lies on the sheet, in px. */
  at: (seconds: number) => { x: number; y: number }
}>()
const emit = defineEmits<{ seek: [seconds: number]; done: [remark: RemarkView] }>()
const flags = computed(() =>
  props.remarks.flatMap((remark) => (remark.done || remark.atS == null ? [] : [{ remark, ...props.at(remark.atS) }])),
)
const open = ref<string | null>(null)
const shown = computed(() => flags.value.find((flag) => flag.remark.id === open.value))
useEscape(() => (open.value = null))
function press(remark: RemarkView) {
  open.value = open.value === remark.id ? null : remark.id
  emit('seek', remark.atS ?? 0)
}
</script>

<template>
  <button
    v-for="{ remark, x, y } in flags"
    :key="remark.id"
    class="flag"
    :style="{ left: `${x - 1}px`, top: `${y}px` }"
    :aria-label="`${remark.saidBy} at ${clock(remark.atS ?? 0)}: ${said(remark)}`"
    :aria-expanded="open === remark.id"
    data-test="flag"
    @click.stop="press(remark)"
  >
    <svg width="14" height="22" aria-hidden="true"><path d="M1 22V1h11l-3 4 3 4H1" /></svg>
  </button>
  <div
    v-if="shown"
    class="card words"
    :style="{ left: `${Math.max(8, shown.x - 60)}px`, top: `${shown.y + 26}px` }"
    data-test="flag-card"
  >
    <p>{{ said(shown.remark) }}</p>
    <p class="soft">
      {{ shown.remark.saidBy }}, of revision {{ shown.remark.revision }}
      <button class="plain" data-test="remark-done" @click="emit('done', shown.remark)">it is done</button>
    </p>
  </div>
</template>

<style scoped>
.flag {
  position: absolute;
  z-index: 2;
  border: 0;
  padding: 0;
  background: none;
  line-height: 0;
  cursor: pointer;
}
.flag path {
  fill: var(--passage);
  stroke: var(--warn);
  stroke-width: 1.4;
}
.words {
  position: absolute;
  z-index: 3;
  width: 260px;
  padding: 8px 12px;
  overflow-wrap: anywhere;
}
.words p {
  margin: 0;
}
</style>
