<script setup lang="ts">
import { computed } from 'vue'
import { ROWS, type Hairpin } from '../../drawing/sheet'
import { levelKey } from './choices'
import type { useWedge } from './useWedge'

/** A swell or fade of a line, as the wedge that it is drawn as, to be taken hold of. */
const props = defineProps<{ pin: Hairpin; line: number; selected: boolean; gesture: ReturnType<typeof useWedge> }>()

/** What a drag of this one asks for, in words. */
const asked = computed(() => {
  const held = props.gesture.wedge.value?.pin
  const isThis = held && levelKey(held.level.name) === levelKey(props.pin.level.name) && held.opens === props.pin.opens
  return isThis ? props.gesture.asked.value?.words : undefined
})
</script>

<template>
  <g :class="['hairpin', { hand: pin.level.byHand, selected }]">
    <path v-if="pin.width > 0" :d="pin.path" clip-path="url(#within-line)" />
    <circle v-else :cx="pin.x" :cy="ROWS.hairpins" r="3" />
    <text v-for="label in pin.labels" :key="label.x" :x="label.x" :y="ROWS.hairpins + 4">{{ label.text }}</text>
    <rect
      :x="pin.x - 4"
      :y="ROWS.hairpins - 10"
      :width="pin.width + 8"
      height="20"
      class="touch"
      :data-test="pin.level.kind === 'swell' ? 'hairpin' : 'fade'"
      @pointerdown="gesture.grabWedge($event, pin, line)"
      @touchstart.prevent
      @pointermove="gesture.dragWedge"
      @pointerup="gesture.dropWedge"
      @pointercancel="gesture.letGoWedge"
    />
    <text v-if="asked" :x="pin.x + pin.width / 2" :y="ROWS.hairpins - 12" text-anchor="middle" class="asked">
      {{ asked }}
    </text>
  </g>
</template>
