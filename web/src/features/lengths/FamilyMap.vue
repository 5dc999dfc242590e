<script setup lang="ts">
import { useElementSize } from '@vueuse/core'
import { computed, ref } from 'vue'
import { FAMILY, layoutFamily } from '../../drawing/family'
import type { FamilyCutView } from '../../shared/http'

/** How the bed became this length. */
const props = defineProps<{ cut: FamilyCutView; longestS: number }>()
const holder = ref<HTMLElement>()
const { width } = useElementSize(holder)
const map = computed(() => layoutFamily(props.cut, props.longestS, (width.value || 600) - 2))
</script>

<template>
  <div ref="holder" class="family-map">
    <svg :width="width" :height="FAMILY.height" role="img" :aria-label="`How the bed became ${cut.title}`">
      <rect x="0.5" :y="FAMILY.bedTop" :width="map.bedRight" height="12" class="paper" />
      <rect
        v-for="(one, k) in map.heard"
        :key="`h${k}`"
        :x="one.x"
        :y="FAMILY.bedTop"
        :width="one.width"
        height="12"
        :fill="`var(--ribbon-${k % 4})`"
      />
      <g v-for="letter in map.letters" :key="`l${letter.x}`">
        <line :x1="letter.x + 0.5" :x2="letter.x + 0.5" y1="2" :y2="FAMILY.ribbonTop" class="section" />
        <text :x="letter.x + 3" y="10">{{ letter.text }}</text>
      </g>
      <path v-for="(path, k) in map.ribbons" :key="`r${k}`" :d="path" :fill="`var(--ribbon-${k % 4})`" class="ribbon" />
      <rect x="0.5" :y="FAMILY.ribbonBottom" :width="map.cutRight" height="12" class="cut" />
      <g v-for="splice in map.splices" :key="`s${splice.x}`">
        <line :x1="splice.x" :x2="splice.x" :y1="FAMILY.ribbonBottom - 2" :y2="FAMILY.cutBottom + 2" class="splice" />
        <text :x="splice.x" :y="FAMILY.foot" text-anchor="middle">{{ splice.text }}</text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.family-map {
  min-width: 0;
}
.paper {
  fill: var(--card);
  stroke: var(--line);
}
.cut {
  fill: none;
  stroke: var(--ink);
}
.ribbon {
  opacity: 0.75;
}
.section {
  stroke: var(--line);
}
.splice {
  stroke: var(--ink);
  stroke-width: 1.5;
}
text {
  font-size: 11px;
  fill: var(--soft);
}
</style>
