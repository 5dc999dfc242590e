<script setup lang="ts">
import { MAP, type MapLayout } from '../../drawing/map'

/** What of the map is only looked at: both sounds, the ribbons between them, sections, shots, moments and phrases. */
defineProps<{ map: MapLayout }>()
</script>

<template>
  <g>
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
      :fill="`var(--ribbon-${ribbon.piece % 4})`"
      class="ribbon"
      data-test="ribbon"
    />
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
    <text x="8" :y="MAP.foot" class="caption">the cut</text>
  </g>
</template>

<style scoped>
.caption {
  font-family: var(--serif);
  font-style: italic;
  font-size: 13px;
  fill: var(--soft);
}
.hole {
  fill: var(--rail);
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
.kept {
  fill: none;
  stroke: var(--hand);
  stroke-width: 2;
}
.unwanted {
  fill: color-mix(in srgb, var(--voice) 10%, transparent);
  stroke: var(--voice);
}
.struck {
  stroke: var(--voice);
  stroke-width: 0.7;
  opacity: 0.6;
}
</style>
