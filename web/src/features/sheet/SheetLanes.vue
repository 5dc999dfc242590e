<script setup lang="ts">
import type { LaneBand } from '../../drawing/lanes'
import type { LevelView } from '../../shared/http'

/** The film's own sound and the ambiences of one line of the sheet, below its words. */
defineProps<{
  lanes: readonly LaneBand[]
  /** The part of the line that is marked in a lane, and the number of that lane. */
  marked: { x: number; width: number; lane: number } | null
}>()
const emit = defineEmits<{
  /** A lane is taken hold of, to mark a passage in it. */
  grab: [event: PointerEvent, lane: number]
  drop: [event: PointerEvent]
  /** A passage by hand was clicked. */
  select: [level: LevelView, x: number, lane: number]
}>()
</script>

<template>
  <g v-for="one in lanes" :key="one.index" class="lane">
    <rect
      v-if="marked?.lane === one.index"
      :x="marked.x"
      :width="marked.width"
      :y="one.y - 6"
      height="12"
      class="marked"
    />
    <path :d="one.path" fill="url(#hatch)" />
    <rect
      v-for="part in one.thin"
      :key="part.x"
      :x="part.x"
      :y="one.y - 4"
      :width="part.width"
      height="5.500"
      class="thin"
    />
    <rect
      :x="one.x"
      :y="one.y - 6"
      :width="one.width"
      height="12"
      class="touch"
      data-test="lane"
      @pointerdown="emit('grab', $event, one.index)"
      @pointerup="emit('drop', $event)"
    />
    <text v-if="one.label" :x="one.x + 3" :y="one.y + 4">{{ one.label }}</text>
    <g v-for="part in one.passages" :key="part.x" class="passage">
      <path :d="`M${part.x} ${one.y + 4}v3h${part.width}v-3`" />
      <text
        :x="part.textX"
        :y="one.y + 4"
        data-test="lane-passage"
        @click="emit('select', part.level, part.x, one.index)"
      >
        {{ part.text }}
      </text>
    </g>
    <title>{{ one.name }}</title>
  </g>
</template>

<style scoped>
.marked {
  fill: var(--passage);
  opacity: 0.6;
}
.thin {
  fill: var(--ground);
}
.lane text {
  font-size: 10px;
  fill: var(--soft);
  stroke: var(--ground);
  stroke-width: 3;
  paint-order: stroke;
  pointer-events: none;
}
.passage path {
  fill: none;
  stroke: var(--hand);
  stroke-width: 1.5;
}
.lane .passage text {
  fill: var(--hand);
  cursor: pointer;
  pointer-events: auto;
}
</style>
