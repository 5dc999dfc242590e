<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { layoutPicture, LINE, SMALL } from '../../drawing/pictureLines'
import type { CutView } from '../../shared/http'
import { clock } from '../../shared/words'

/** The cut as lines of time with its shots and moments; a click goes there, or selects. */
const props = defineProps<{
  cut: CutView
  positionS: number
  selected: { kind: 'shot' | 'moment'; index: number } | null
}>()
const emit = defineEmits<{ seek: [seconds: number]; select: [kind: 'shot' | 'moment', index: number] }>()

const LENGTHS = [10, 15, 20, 30, 45, 60, 120, 300, 600]
const holder = ref<HTMLElement>()
const { width } = useElementSize(holder)
/** As few seconds a line as leave about four lines. */
const secondsPerLine = computed(() => LENGTHS.find((length) => length * 3.2 >= props.cut.lengthS) ?? 1200)
const layout = computed(() => layoutPicture(props.cut, secondsPerLine.value, width.value || 1000))
const playLine = computed(() =>
  Math.min(layout.value.lines.length - 1, Math.floor(props.positionS / secondsPerLine.value)),
)
const small = (frame: number) =>
  props.cut.film ? `/api/cuts/${props.cut.id}/film/${props.cut.film.hash}/${frame + 2}.jpg` : null

function place(event: MouseEvent, line: number) {
  const box = (event.currentTarget as SVGElement).ownerSVGElement?.getBoundingClientRect()
  emit('seek', layout.value.seconds(line, event.clientX - (box?.left ?? 0)))
}
const is = (kind: 'shot' | 'moment', index: number) => props.selected?.kind === kind && props.selected.index === index
</script>

<template>
  <div ref="holder" class="lines" data-test="picture-lines">
    <svg class="score" :width="width" :height="layout.height" aria-hidden="true">
      <g v-for="line in layout.lines" :key="line.index" :transform="`translate(0 ${line.index * LINE.height})`">
        <text :x="46" :y="LINE.top + 32" text-anchor="end" class="soft">{{ clock(line.startS) }}</text>
        <rect
          class="touch"
          :x="layout.x(line.index, line.startS)"
          :y="0"
          :width="Math.max(0, line.endX - layout.x(line.index, line.startS))"
          :height="LINE.height - 8"
          @click="place($event, line.index)"
        />
        <line
          class="rule"
          :x1="layout.x(line.index, line.startS)"
          :x2="line.endX"
          :y1="LINE.top + LINE.picture"
          :y2="LINE.top + LINE.picture"
        />
        <g
          v-for="shot in line.shots"
          :key="shot.index"
          :class="{ selected: is('shot', shot.index) }"
          class="shot-box"
          @click="
            (event) => {
              place(event, line.index)
              emit('select', 'shot', shot.index)
            }
          "
        >
          <rect :x="shot.x" :y="LINE.top" :width="shot.width" :height="LINE.picture" class="ground" />
          <image
            v-if="shot.begins && small(shot.frame) && shot.width > 8"
            :href="small(shot.frame) ?? undefined"
            :x="shot.x + 2"
            :y="LINE.top + 1"
            :width="Math.min(SMALL, shot.width - 3)"
            :height="LINE.picture - 2"
            preserveAspectRatio="xMinYMid slice"
          />
          <line
            v-if="shot.begins"
            :x1="shot.x"
            :x2="shot.x"
            :y1="LINE.top - 4"
            :y2="LINE.top + LINE.picture"
            class="edge"
          />
          <text v-if="shot.name" class="shot" :x="shot.x + 3" :y="LINE.names">{{ shot.name }}</text>
          <path
            v-if="shot.still && shot.begins"
            :d="`M${shot.x + 4} ${LINE.top + 6}h10M${shot.x + 4} ${LINE.top + 10}h10`"
            class="still"
          />
        </g>
        <g
          v-for="moment in line.moments"
          :key="`m${moment.index}`"
          class="moment"
          :class="{ selected: is('moment', moment.index) }"
          @click="
            (event) => {
              emit('seek', cut.moments[moment.index]?.atS ?? 0)
              emit('select', 'moment', moment.index)
              event.stopPropagation()
            }
          "
        >
          <line :x1="moment.x" :x2="moment.x" :y1="14" :y2="LINE.top + LINE.picture" />
          <path :d="`M${moment.x - 5} 6h10l-5 8Z`" />
          <text :x="moment.x + 9" y="13">{{ moment.text }}</text>
        </g>
        <line
          v-if="line.index === playLine"
          class="play"
          :x1="layout.x(line.index, positionS)"
          :x2="layout.x(line.index, positionS)"
          :y1="6"
          :y2="LINE.height - 10"
        />
      </g>
    </svg>
  </div>
</template>

<style scoped>
.lines {
  width: 100%;
}
.ground {
  fill: var(--card);
  cursor: pointer;
}
.edge {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.rule {
  stroke: var(--line);
}
.soft {
  fill: var(--soft);
  font-size: 11px;
}
.shot {
  font-size: 13px;
}
.shot-box {
  cursor: pointer;
}
.shot-box.selected .ground {
  fill: var(--shot);
}
.shot-box.selected .shot {
  fill: var(--ink);
  font-weight: 700;
}
.still {
  stroke: var(--hand);
  stroke-width: 2;
}
.moment {
  cursor: pointer;
  fill: var(--voice);
}
.moment line {
  stroke: var(--voice);
  stroke-dasharray: 2 3;
}
.moment text {
  font-size: 12px;
}
.moment.selected text {
  font-weight: 700;
}
</style>
