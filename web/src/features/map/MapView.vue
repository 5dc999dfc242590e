<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { layoutMap, MAP } from '../../drawing/map'
import type { CutView, FittingView, WaveformView } from '../../shared/http'
import { RIBBONS } from '../../theme'

const props = defineProps<{
  cut: CutView
  fitting: FittingView
  bedWave: WaveformView | null
  cutWave: WaveformView | null
  positionS: number
}>()
const emit = defineEmits<{ seek: [seconds: number] }>()

const holder = ref<HTMLElement>()
const { width } = useElementSize(holder)
const map = computed(() => layoutMap(props.cut, props.fitting, props.bedWave, props.cutWave, width.value || 1000))

function seek(event: MouseEvent) {
  const box = holder.value?.getBoundingClientRect()
  emit('seek', map.value.cutSeconds(event.clientX - (box?.left ?? 0)))
}
</script>

<template>
  <div ref="holder" data-test="map">
    <svg class="score" :width="width" :height="MAP.height" aria-hidden="true">
      <text x="8" y="13" class="caption">the bed, as it is</text>
      <rect
        v-for="hole in map.leftOut"
        :key="hole.x"
        :x="hole.x"
        :y="MAP.bedMiddle - MAP.bedHalf - 4"
        :width="hole.width"
        :height="2 * MAP.bedHalf + 8"
        class="hole"
      />
      <path :d="map.bed" class="band" />
      <g v-for="letter in map.letters" :key="letter.x">
        <line :x1="letter.lineX" :x2="letter.lineX" :y1="34" :y2="MAP.ribbonTop" class="section" />
        <rect :x="letter.x" y="19" width="15" height="15" class="box" />
        <text :x="letter.x + 7.5" y="31" text-anchor="middle" class="letter">{{ letter.text }}</text>
      </g>
      <path
        v-for="ribbon in map.ribbons"
        :key="ribbon.piece"
        :d="ribbon.path"
        :fill="RIBBONS[ribbon.piece % RIBBONS.length]"
        class="ribbon"
        data-test="ribbon"
      />
      <g v-for="shot in map.shots" :key="shot.x">
        <line :x1="shot.x" :x2="shot.x" :y1="MAP.ribbonBottom + 2" :y2="MAP.ribbonBottom + 13" class="shot-mark" />
        <text :x="shot.x + 4" :y="MAP.ribbonBottom + 11" class="shot">{{ shot.text }}</text>
      </g>
      <path :d="map.cut" class="band" />
      <rect
        v-for="phrase in map.phrases"
        :key="phrase.x"
        :x="phrase.x"
        :y="MAP.phrases"
        :width="phrase.width"
        height="4"
        class="phrase"
      />
      <g v-for="splice in map.splices" :key="splice.x" class="splice">
        <line :x1="splice.x - 2" :x2="splice.x - 2" :y1="MAP.cutMiddle - 24" :y2="MAP.cutMiddle + 24" />
        <line :x1="splice.x + 2" :x2="splice.x + 2" :y1="MAP.cutMiddle - 24" :y2="MAP.cutMiddle + 24" />
        <text :x="splice.x" :y="MAP.foot" text-anchor="middle">{{ splice.label }}</text>
      </g>
      <text x="8" :y="MAP.foot" class="caption">the cut</text>
      <line
        :x1="map.cutX(positionS)"
        :x2="map.cutX(positionS)"
        :y1="MAP.ribbonBottom"
        :y2="MAP.phrases + 6"
        class="play"
      />
      <rect
        x="8"
        :y="MAP.ribbonBottom"
        :width="map.right - 8"
        :height="MAP.phrases - MAP.ribbonBottom"
        class="touch"
        @click="seek"
      />
    </svg>
  </div>
</template>

<style scoped>
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
.shot {
  font-size: 12px;
}
.phrase {
  fill: var(--voice);
  opacity: 0.6;
}
</style>
