<script setup lang="ts">
import { computed } from 'vue'
import { bandPath, loudestOf } from '../../drawing/band'
import type { TakeView, WaveformView } from '../../shared/http'
import { bare, clock } from '../../shared/words'

/** A take over the length of the cut: its waveform, and its phrases, of which the filled ones are heard. */
const props = defineProps<{ take: TakeView; lengthS: number; wave: WaveformView | undefined }>()
const emit = defineEmits<{ use: [phrase: { startS: number; endS: number }]; seek: [seconds: number] }>()

/** Drawn a thousand wide and stretched to whatever room there is. */
const WIDTH = 1000
const HALF = 15
const path = computed(() => {
  const { wave, take, lengthS } = props
  if (!wave || !take.lengthS) return ''
  const x = (seconds: number) => ((take.atS + seconds) / lengthS) * WIDTH
  const endS = Math.min(take.lengthS, lengthS - take.atS)
  return bandPath(wave.peaks, wave.stepS, 0, endS, x, HALF + 1, HALF, loudestOf(wave.peaks))
})
const share = (seconds: number) => `${(seconds / props.lengthS) * 100}%`
const isSet = (phrase: { used: boolean }) => phrase.used || props.take.origin === 'scratch'
</script>

<template>
  <div class="strip">
    <svg :viewBox="`0 0 ${WIDTH} ${2 * HALF + 2}`" preserveAspectRatio="none" aria-hidden="true">
      <path v-if="path" :d="path" data-test="take-wave" />
    </svg>
    <button
      v-for="(phrase, k) in take.phrases ?? []"
      :key="k"
      :class="{ on: phrase.used }"
      :style="{ left: share(phrase.startS), width: `max(3px, ${share(phrase.endS - phrase.startS)})` }"
      :title="`Phrase ${k + 1}, ${clock(phrase.startS, true)} to ${clock(phrase.endS, true)}: ${phrase.used ? 'is heard; click to go there' : 'click to use it'}`"
      :aria-label="`Phrase ${k + 1} of ${bare(take.name)}`"
      data-test="phrase"
      @click="isSet(phrase) ? emit('seek', phrase.startS) : emit('use', phrase)"
    ></button>
  </div>
</template>

<style scoped>
.strip {
  position: relative;
  height: 34px;
  margin-top: 6px;
  border-bottom: 1px solid var(--line);
}
svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 32px;
}
path {
  fill: var(--voice);
  opacity: 0.75;
}
button {
  position: absolute;
  top: 0;
  height: 32px;
  padding: 0;
  border: 1px solid var(--voice);
  background: none;
  cursor: pointer;
}
button.on {
  background: color-mix(in srgb, var(--voice) 32%, transparent);
}
</style>
